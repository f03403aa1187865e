/** `base`, or where that is taken the first of “base 2”, “base 3” … that is free. */
export function freeName(base: string, taken: ReadonlySet<string>, between = ' '): string {
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base}${between}${n}`;
  return name;
}
