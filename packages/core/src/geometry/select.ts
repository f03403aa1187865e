/** The value that would stand at `nth` if `values` were sorted (quickselect, Hoare 1961). Puts them in another order. */
export function nthSmallest(values: Float64Array, nth: number): number {
  let low = 0,
    high = values.length - 1;
  while (low < high) {
    const pivot = values[(low + high) >> 1];
    let i = low,
      j = high;
    while (i <= j) {
      while (values[i] < pivot) i++;
      while (values[j] > pivot) j--;
      if (i <= j) {
        const swap = values[i];
        values[i] = values[j];
        values[j] = swap;
        i++;
        j--;
      }
    }
    if (nth <= j) high = j;
    else if (nth >= i) low = i;
    else break;
  }
  return values[nth];
}
