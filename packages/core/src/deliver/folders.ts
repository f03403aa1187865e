import type { Document, Texture } from '@gltf-transform/core';
import { kindsOf } from '../character/index.ts';
import type { InputFile } from '../formats/index.ts';
import type { Finding } from '../problem.ts';
import { folderBy, HOLDS_MAPS, type Target, wayTo } from '../targets/index.ts';

/** Where maps lie that no target puts elsewhere. */
const MAPS = 'textures/';

const namesOf = (target: Target, character: string) => ({ character, target: target.title });

/** The folder of the package in which models lie; empty for the outermost. */
export const modelFolder = (target: Target, character: string): string =>
  folderBy(target.package.folders?.model, namesOf(target, character));

/** Longer ones some systems don't unpack, with the folder that somebody puts them in. */
const MOST_PATH = 180;

/** What there is to say of files that lie too deep. */
export function longPaths(files: readonly InputFile[]): Finding[] {
  const long = files.map(({ path }) => path).filter((path) => path.length > MOST_PATH);
  return long.length
    ? [
        {
          code: 'package.long-paths',
          severity: 'warning',
          message: `${long.length} ${long.length === 1 ? 'path has' : 'paths have'} more than ${MOST_PATH} letters, “${long[0].slice(0, 60)}…” among them: not every system unpacks such. Give the target shorter folders or names.`,
          where: long[0],
          measured: Math.max(...long.map(({ length }) => length)),
          limit: MOST_PATH,
        },
      ]
    : [];
}

/** Which folder each map lies in, as a model reaches it; asked while materials have the names they are known by. */
export function mapFolders(document: Document, target: Target, character: string): (texture: Texture) => string {
  const { maps } = target.package.folders ?? {};
  if (!maps || HOLDS_MAPS.includes(target.package.format)) return () => MAPS;
  const kindOf = kindsOf(document),
    from = modelFolder(target, character),
    kinds = new Map(
      document
        .getRoot()
        .listMaterials()
        .map((material) => [material, kindOf(material)] as const),
    ),
    folders = new Map<Texture, string>();
  for (const texture of document.getRoot().listTextures()) {
    // The first material that wears it says what it is of.
    const parents = new Set(texture.listParents()),
      [, kind] = [...kinds].find(([material]) => parents.has(material)) ?? [null, 'other'];
    folders.set(texture, wayTo(from, folderBy(maps, { ...namesOf(target, character), kind })));
  }
  return (texture) => folders.get(texture) ?? MAPS;
}
