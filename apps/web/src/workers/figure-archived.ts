import { type OpenedFigure, parseFigure, readGltf } from '@dimetra/core';
import { unzipSync } from 'fflate';

/** A figure's skin and what the figure says of it, from its archive as the server packs it. */
export async function openArchived(archive: Uint8Array, name: string): Promise<OpenedFigure> {
  const files = Object.entries(unzipSync(archive)),
    bytes = files.find(([path]) => path.endsWith('.glb'))?.[1] as Uint8Array<ArrayBuffer> | undefined,
    said = files.find(([path]) => path.endsWith('figure.json'))?.[1];
  if (!bytes || !said) throw new Error(`${name} has no skin of its own`);
  const { body } = parseFigure(JSON.parse(new TextDecoder().decode(said)));
  return { document: (await readGltf({ path: 'figure.glb', bytes }, [])).document, name, loops: body?.loops };
}
