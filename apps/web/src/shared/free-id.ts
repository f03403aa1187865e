/**
 * An id that none has yet, of a title's letters.
 * @param otherwise where the title has none that an id may have
 */
export function freeId(title: string, taken: readonly string[], otherwise: string): string {
  const base =
    title
      .normalize('NFKD')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 50) || otherwise;
  let id = base;
  for (let n = 2; taken.includes(id); n++) id = `${base}-${n}`;
  return id;
}
