import type { Element } from '@xmldom/xmldom';
import type { Seen } from './seen.ts';

type Rows = Seen['validator']['errors'];

/** Elements of a name below another. */
export const all = (element: Element, name: string): Element[] => Array.from(element.getElementsByTagName(name));
/** Numbers in an element. */
export const numbersOf = (element: Element | undefined): number[] =>
  (element?.textContent ?? '').trim().split(/\s+/).filter(Boolean).map(Number);

/** Links to nothing, corners that are no vertex, arrays of another length than said, weights that name no joint, maps that aren't there. */
export function faultsOf(root: Element, paths: ReadonlySet<string>): Rows {
  const rows: Rows = [],
    say = (code: string, pointer: string, message: string) => {
      const row = rows.find((one) => one.code === code);
      if (row) row.count++;
      else rows.push({ code, count: 1, message, pointer });
    },
    ids = new Map(
      all(root, '*').flatMap((element) =>
        element.getAttribute('id') ? [[element.getAttribute('id'), element]] : [],
      ) as [string, Element][],
    );
  for (const element of all(root, '*'))
    for (const name of ['url', 'source', 'target']) {
      const link = element.getAttribute(name) ?? '';
      if (link.startsWith('#') && !ids.has(link.slice(1))) say('NO_TARGET', link, `“${link}” isn't in the file`);
    }
  for (const array of [...all(root, 'float_array'), ...all(root, 'Name_array'), ...all(root, 'IDREF_array')]) {
    const there = (array.textContent ?? '').trim().split(/\s+/).filter(Boolean);
    if (there.length !== Number(array.getAttribute('count')))
      say('COUNT', array.getAttribute('id') ?? '', `it says ${array.getAttribute('count')} and holds ${there.length}`);
    if (array.nodeName === 'IDREF_array')
      for (const id of there) if (!ids.has(id)) say('NO_TARGET', id, `“${id}” isn't in the file`);
  }
  const lengthOf = (link: string | null): number => {
    const source = ids.get((link ?? '').slice(1)),
      inner = source?.nodeName === 'vertices' ? all(source, 'input')[0]?.getAttribute('source') : link,
      accessor = all(ids.get((inner ?? '').slice(1)) ?? root, 'accessor')[0];
    return Number(accessor?.getAttribute('count'));
  };
  for (const triangles of all(root, 'triangles')) {
    const inputs = all(triangles, 'input'),
      most = Math.min(...inputs.map((input) => lengthOf(input.getAttribute('source')))),
      corners = numbersOf(all(triangles, 'p')[0]);
    if (corners.length !== Number(triangles.getAttribute('count')) * 3 || corners.some((v) => !(v >= 0 && v < most)))
      say('FACES', triangles.getAttribute('material') ?? '', 'a corner is no vertex, or there are fewer than said');
  }
  for (const weights of all(root, 'vertex_weights')) {
    const [joints, values] = all(weights, 'input').map((input) => lengthOf(input.getAttribute('source'))),
      pairs = numbersOf(all(weights, 'v')[0]),
      asked = numbersOf(all(weights, 'vcount')[0]).reduce((sum, n) => sum + n, 0);
    if (pairs.length !== asked * 2 || pairs.some((n, i) => !(n >= 0 && n < (i % 2 ? values : joints))))
      say('INFLUENCES', '', 'a weight names no joint or no value');
  }
  for (const image of all(root, 'image')) {
    const path = decodeURI((all(image, 'init_from')[0]?.textContent ?? '').trim());
    if (!paths.has(path)) say('NO_IMAGE', path, `“${path}” isn't there`);
  }
  return rows;
}
