/** The first few of a list with commas between, and a sign where there are more. */
export const listed = (list: readonly string[], most: number): string =>
  `${list.slice(0, most).join(', ')}${list.length > most ? ' …' : ''}`;
