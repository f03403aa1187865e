/**
 * A text file as UTF-8 bytes: UTF-16 with or without its mark is converted, a UTF-8 mark taken off. Other 8-bit
 * encodings stay as they are: names may look odd, numbers and keywords don't.
 */
export function asUtf8(bytes: Uint8Array): Uint8Array {
  if (bytes.length >= 3 && bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return bytes.subarray(3);
  const wide = utf16(bytes);
  return wide ? new TextEncoder().encode(new TextDecoder(wide).decode(bytes)) : bytes;
}

function utf16(bytes: Uint8Array): 'utf-16le' | 'utf-16be' | null {
  if (bytes.length < 4 || bytes.length % 2) return null;
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
  // Without a mark: every second byte of Western text is zero.
  let even = 0,
    odd = 0;
  const look = Math.min(bytes.length, 512);
  for (let i = 0; i < look; i += 2) {
    if (bytes[i] === 0) even++;
    if (bytes[i + 1] === 0) odd++;
  }
  if (odd > look * 0.4 && !even) return 'utf-16le';
  return even > look * 0.4 && !odd ? 'utf-16be' : null;
}

/** Text of bytes that should be UTF-8 and may be an older 8-bit encoding. */
export function textOf(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return new TextDecoder('windows-1252').decode(bytes);
  }
}
