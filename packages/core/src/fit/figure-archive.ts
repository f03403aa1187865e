import type { Document } from '@gltf-transform/core';
import { openArchive, readGltf, writeArchive } from '../formats/index.ts';
import { ProblemError } from '../problem.ts';
import { learnFigure } from '../rig/index.ts';
import { type Figure, parseFigure } from '../targets/index.ts';
import { bodyOfSample } from './body-of.ts';
import { refuseBody } from './refuse.ts';
import { skinOf } from '../wrap/index.ts';

/** A figure with the file of its skin; null where it has joints alone. */
export interface FigureWithBody {
  figure: Figure;
  bytes: Uint8Array | null;
}
type Hash = (bytes: Uint8Array) => string;

/**
 * Learns a figure from a sample that stands upright in metres, with its skin where it has a whole one; where it has none the
 * figure's note says why.
 */
export async function learnWithBody(
  sample: Document,
  name: { id: string; title: string; note?: string },
  hash: Hash,
): Promise<FigureWithBody> {
  const figure = learnFigure(sample, name);
  try {
    const { body, bytes } = await bodyOfSample(sample, name.title, hash);
    return { figure: { ...figure, body }, bytes };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const why = error.message.replace(/^.*?: /, '').replace(/\. Choose .*$/, '');
    return { figure: { ...figure, note: `${figure.note ? `${figure.note} ` : ''}Joints alone: ${why}.` }, bytes: null };
  }
}

/** A figure and its skin as one archive: `figure.json`, and the skin by its SHA-256. */
export function packFigure({ figure, bytes }: FigureWithBody): Uint8Array {
  const text = new TextEncoder().encode(`${JSON.stringify(figure, null, 1)}\n`);
  return writeArchive([
    { path: 'figure.json', bytes: text },
    ...(figure.body && bytes ? [{ path: `${figure.body.file}.glb`, bytes: bytes as Uint8Array<ArrayBuffer> }] : []),
  ]);
}

/**
 * A figure from an archive, its skin checked: there, what its name says, a whole figure's.
 * @throws ProblemError archive.*, figure.*, gltf.*, fit.body
 */
export async function unpackFigure(archive: Uint8Array, name: string, hash: Hash): Promise<FigureWithBody> {
  const files = openArchive(archive, name),
    main = files.find(({ path }) => /(^|\/)figure\.json$/i.test(path));
  if (!main)
    throw new ProblemError(
      'figure.no-figure',
      `There is no “figure.json” in “${name}”. Take out a figure here to see what one looks like.`,
      name,
    );
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(main.bytes));
  } catch {
    throw new ProblemError(
      'figure.invalid',
      `“${main.path}” in “${name}” is not JSON. Take the figure out once more.`,
      main.path,
    );
  }
  const figure = parseFigure(value, main.path),
    { body } = figure;
  if (!body) return { figure, bytes: null };
  const file = files.find(({ path }) => path.endsWith(`${body.file}.glb`));
  if (!file)
    throw new ProblemError(
      'figure.no-body',
      `The skin of ${figure.title}, “${body.file.slice(0, 12)}….glb”, is not in “${name}”. Take the figure out once more, or leave its skin out of figure.json.`,
      name,
    );
  if (hash(file.bytes) !== body.file)
    throw new ProblemError(
      'figure.body-changed',
      `“${file.path}” is not the skin that ${figure.title} names: it was changed or damaged. Take the figure out once more.`,
      file.path,
    );
  const { document } = await readGltf({ path: file.path, bytes: file.bytes }, []);
  refuseBody(skinOf(document), figure.title);
  return { figure, bytes: file.bytes };
}
