/** The first few of a list, and a sign where there are more. */
export const firstFew = (list: readonly string[], most: number, between = ', '): string =>
  `${list.slice(0, most).join(between)}${list.length > most ? ' …' : ''}`;
