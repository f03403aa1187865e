/** Text of an attribute or element. */
export const attribute = (text: string): string => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
/** Numbers to six places. */
export const list = (values: ArrayLike<number>): string => {
  const out: string[] = new Array(values.length);
  for (let i = 0; i < values.length; i++) out[i] = String(Math.round(values[i] * 1e6) / 1e6);
  return out.join(' ');
};

/** Numbers that others refer to, with names for what stands side by side. */
export const source = (id: string, values: ArrayLike<number>, stride: number, names: string): string =>
  `<source id="${id}"><float_array id="${id}-a" count="${values.length}">${list(values)}</float_array><technique_common><accessor source="#${id}-a" count="${values.length / stride}" stride="${stride}">${[...names].map((n) => `<param name="${n}" type="float"/>`).join('')}</accessor></technique_common></source>`;
