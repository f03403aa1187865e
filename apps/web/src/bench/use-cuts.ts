import { useEffect, useState } from 'react';
import { useDesk } from '../stage/context.ts';

/** Tiles are this wide and high, in pixels. */
const WIDTH = 190,
  HEIGHT = 62;

/** A tile of every material, cut from the character one after the other once its maps are there. @returns images by material */
export function useCuts(): Readonly<Record<string, string>> {
  const { character, figures, stage } = useDesk();
  const { materials, parts } = character.revision.summary;
  const [cuts, setCuts] = useState<Record<string, string>>({});
  useEffect(() => {
    if (!figures.source) return;
    let left = false;
    const cutAll = async () => {
      await stage.current?.mapsOf('source');
      for (const { name } of materials) {
        const part = parts.find((entry) => entry.material === name);
        if (left) return;
        const cut = part && (await stage.current?.portrait('source', part.id, WIDTH, HEIGHT));
        if (cut && !left) setCuts((before) => ({ ...before, [name]: cut }));
      }
    };
    void cutAll();
    return () => {
      left = true;
    };
  }, [figures.source, materials, parts, stage]);
  return cuts;
}
