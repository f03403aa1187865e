/** A text as a name that every disk takes: letters and digits of any script, composed (NFC), dots, hyphens and underscores; none begins with a dot. */
export const safeName = (text: string): string =>
  text
    .normalize('NFC')
    .replace(/[^\p{L}\p{N}\p{M}_.-]+/gu, '_')
    .replace(/^\.+/, '_');

/** Whether some systems keep a name for devices. */
export const isReserved = (name: string): boolean => /^(con|prn|aux|nul|com\d|lpt\d)$/i.test(name);
