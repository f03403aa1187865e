export const count = (value: number): string => Math.round(value).toLocaleString('en-GB');
/** 101,360 → 101k where room is short. */
export const short = (value: number): string =>
  value >= 10_000
    ? `${Math.round(value / 1000)}k`
    : value >= 1000
      ? `${(value / 1000).toFixed(1)}k`
      : String(Math.round(value));
export const megabytes = (bytes: number): string => {
  const mb = bytes / 1048576;
  return mb >= 100 ? `${Math.round(mb)}` : mb.toFixed(1);
};
export const millimetres = (mm: number): string => (mm >= 10 ? mm.toFixed(1) : mm >= 1 ? mm.toFixed(2) : mm.toFixed(3));
export function ago(iso: string): string {
  const s = Math.max(0, (Date.now() - new Date(iso).getTime()) / 1000);
  if (s < 60) return `${Math.round(s)} s ago`;
  if (s < 3600) return `${Math.round(s / 60)} min ago`;
  return s < 86_400 ? `${Math.round(s / 3600)} h ago` : new Date(iso).toLocaleDateString('en-GB');
}
export const alphaWord = (mode: string): string =>
  ({ OPAQUE: 'opaque', MASK: 'cut-out', BLEND: 'blended' })[mode] ?? mode;
