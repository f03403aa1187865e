/** Powers of ten that a double holds exactly. */
const TEN = Array.from({ length: 23 }, (_, i) => 10 ** i);

/** Where a scan of numbers stands; reused, so that reading makes no objects. */
export interface NumberScan {
  /** Place of the next byte to look at. */
  at: number;
  /** The number found last. */
  value: number;
}

export const isBlank = (byte: number): boolean => byte === 32 || (byte >= 9 && byte <= 13);

/**
 * Reads the next number of ASCII text (sign, digits, point, exponent; `nan` and `inf` as such) from `scan.at`,
 * skipping blanks. Exact to a unit in the last place of a double.
 * @returns false at the end, or before something that is no number (`scan.at` stays there)
 */
export function nextNumber(bytes: Uint8Array, end: number, scan: NumberScan): boolean {
  let i = scan.at;
  while (i < end && isBlank(bytes[i])) i++;
  scan.at = i;
  if (i >= end) return false;
  if (shortNumber(bytes, i, end, scan)) return true;
  let negative = false;
  if (bytes[i] === 45) {
    negative = true;
    i++;
  } else if (bytes[i] === 43) i++;
  let mantissa = 0,
    digits = 0,
    dropped = 0,
    seen = false;
  let c = bytes[i];
  while (i < end && c >= 48 && c <= 57) {
    if (digits < 17) {
      mantissa = mantissa * 10 + (c - 48);
      if (mantissa) digits++;
    } else dropped++;
    seen = true;
    c = bytes[++i];
  }
  if (c === 46 && i < end) {
    c = bytes[++i];
    while (i < end && c >= 48 && c <= 57) {
      if (digits < 17) {
        mantissa = mantissa * 10 + (c - 48);
        dropped--;
        if (mantissa) digits++;
      }
      seen = true;
      c = bytes[++i];
    }
  }
  if (!seen) return notANumber(bytes, end, scan, i, negative);
  let exponent = dropped;
  if ((c === 101 || c === 69) && i < end) {
    let k = i + 1,
      minus = false,
      value = 0,
      any = false;
    if (bytes[k] === 45) {
      minus = true;
      k++;
    } else if (bytes[k] === 43) k++;
    while (k < end && bytes[k] >= 48 && bytes[k] <= 57) {
      if (value < 10_000) value = value * 10 + (bytes[k] - 48);
      any = true;
      k++;
    }
    if (any) {
      exponent += minus ? -value : value;
      i = k;
    }
  }
  if (exponent > 0) mantissa = exponent <= 22 ? mantissa * TEN[exponent] : mantissa * 10 ** exponent;
  else if (exponent < 0)
    mantissa =
      exponent >= -22
        ? mantissa / TEN[-exponent]
        : exponent > -300
          ? mantissa * 10 ** exponent
          : exponent > -360
            ? mantissa * 10 ** (exponent + 200) * 1e-200
            : 0;
  scan.value = negative ? -mantissa : mantissa;
  scan.at = i;
  return true;
}

/** Nearly all numbers have at most 15 digits and no exponent: those are exact without counting places one by one. */
function shortNumber(bytes: Uint8Array, from: number, end: number, scan: NumberScan): boolean {
  let i = from;
  const negative = bytes[i] === 45;
  if (negative) i++;
  let value = 0,
    c = 0;
  const first = i;
  while (i < end && (c = bytes[i]) >= 48 && c <= 57) {
    value = value * 10 + (c - 48);
    i++;
  }
  let digits = i - first,
    places = 0;
  if (i < end && c === 46) {
    const point = ++i;
    while (i < end && (c = bytes[i]) >= 48 && c <= 57) {
      value = value * 10 + (c - 48);
      i++;
    }
    places = i - point;
    digits += places;
  }
  if (digits === 0 || digits > 15 || (i < end && (c === 101 || c === 69))) return false;
  if (places) value /= TEN[places];
  scan.value = negative ? -value : value;
  scan.at = i;
  return true;
}

/** Signs that end a number in formats that don't part them by blanks: , ) ] } */
const CLOSES: ReadonlySet<number> = new Set([44, 41, 93, 125]);

/** Several writers print `nan`, `inf`, `-1.#IND`: they are numbers that are none, not a broken file. */
function notANumber(bytes: Uint8Array, end: number, scan: NumberScan, at: number, negative: boolean): boolean {
  const word = String.fromCharCode(...bytes.subarray(at, Math.min(end, at + 8))).toLowerCase();
  const found = /^(nan|inf(inity)?)/.exec(word);
  if (!found) return false;
  scan.value = found[1] === 'nan' ? Number.NaN : negative ? -Infinity : Infinity;
  scan.at = at + found[1].length;
  while (scan.at < end && !isBlank(bytes[scan.at]) && !CLOSES.has(bytes[scan.at])) scan.at++;
  return true;
}

/** All numbers between two places, as floats; stops at what is none. @param expected how many there should be, a hint for the size */
export function numbersIn(bytes: Uint8Array, from: number, end: number, expected = 0): Float64Array {
  // A number takes two bytes at least, so a hostile count can't ask for more than the text could hold.
  let out = new Float64Array(Math.max(16, Math.min(expected || (end - from) >> 2, ((end - from) >> 1) + 1)));
  const scan: NumberScan = { at: from, value: 0 };
  let n = 0;
  while (nextNumber(bytes, end, scan)) {
    if (n === out.length) {
      const wider = new Float64Array(n * 2);
      wider.set(out);
      out = wider;
    }
    out[n++] = scan.value;
  }
  return out.subarray(0, n);
}
