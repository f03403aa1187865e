import { OBJLoader } from 'three/addons/loaders/OBJLoader.js';
import { extentOf, meshesOf } from './body.ts';
import { openFile } from './images.ts';
import type { DeliveredFile } from './raw.ts';
import { nothingSeen, type Seen } from './seen.ts';

const IMAGE = /\.(png|jpe?g|webp|avif|ktx2)$/i;

/** Sees a delivered .obj with its .mtl and maps, by the loader of the library we draw with and by the lines themselves. */
export async function lookAtObj(model: DeliveredFile, files: readonly DeliveredFile[]): Promise<Seen> {
  const out: Seen = { ...nothingSeen(), validator: { errors: [], warnings: [], unused: [] } },
    text = new TextDecoder().decode(model.bytes);
  try {
    const scene = new OBJLoader().parse(text),
      extent = extentOf(scene);
    if (!extent) throw new Error('it draws nothing');
    out.sizeMm = [0, 1, 2].map((k) => (extent.high[k] - extent.low[k]) * 1000) as [number, number, number];
    out.notFinite = meshesOf(scene).flatMap((mesh) =>
      Object.entries(mesh.geometry.attributes).flatMap(([name, { array }]) => {
        const count = Array.from(array as ArrayLike<number>).filter((x) => !Number.isFinite(x)).length;
        return count ? [{ where: `${mesh.name}.${name}`, count }] : [];
      }),
    );
    out.validator.errors = faultsOf(text, files);
    out.images = await Promise.all(
      files.filter(({ path }) => IMAGE.test(path)).map(({ path, bytes }) => openFile(path, bytes)),
    );
  } catch (error) {
    out.refused = (error as Error).message;
  }
  return out;
}

/** Corners that are no vertex, materials that no library names, libraries and maps that aren't there. */
function faultsOf(text: string, files: readonly DeliveredFile[]): Seen['validator']['errors'] {
  const rows: Seen['validator']['errors'] = [],
    say = (code: string, pointer: string, message: string) => {
      const row = rows.find((one) => one.code === code);
      if (row) row.count++;
      else rows.push({ code, count: 1, message, pointer });
    },
    beside = new Map(files.map((file) => [file.path, file])),
    count = { v: 0, vt: 0, vn: 0 },
    named = new Set<string>(),
    worn = new Set<string>();
  for (const line of text.split('\n')) {
    const [key, ...words] = line.trim().split(/\s+/),
      rest = words.join(' ');
    if (key === 'v' || key === 'vt' || key === 'vn') count[key]++;
    else if (key === 'usemtl') worn.add(rest);
    else if (key === 'f') {
      for (const word of words)
        word.split('/').forEach((index, k) => {
          const most = [count.v, count.vt, count.vn][k];
          if (index && !(Number(index) >= 1 && Number(index) <= most)) say('FACES', line, 'a corner is no vertex');
        });
    } else if (key === 'mtllib') {
      const library = beside.get(rest);
      if (!library) say('NO_LIBRARY', rest, `“${rest}” isn't there`);
      for (const entry of new TextDecoder().decode(library?.bytes ?? new Uint8Array(0)).split('\n')) {
        const [name, ...of] = entry.trim().split(/\s+/);
        if (name === 'newmtl') named.add(of.join(' '));
        else if (/^(map_|norm$|bump$|disp$)/i.test(name) && !beside.has(of.at(-1) ?? ''))
          say('NO_IMAGE', entry, `“${of.at(-1)}” isn't there`);
      }
    }
  }
  for (const name of worn) if (!named.has(name)) say('NO_MATERIAL', name, `no library names “${name}”`);
  return rows;
}
