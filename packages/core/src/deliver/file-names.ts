import { isReserved, namesBy, type Target } from '../targets/index.ts';

const MOST_LETTERS = 80;

/** A file name for a character: letters and digits of any script, composed (NFC), everything else a hyphen; safe on every disk. */
export function fileNameOf(name: string): string {
  const plain = [
    ...name
      .normalize('NFC')
      .toLowerCase()
      .replace(/[^\p{L}\p{N}\p{M}]+/gu, '-'),
  ]
    .slice(0, MOST_LETTERS)
    .join('')
    .replace(/^-+|-+$/g, '');
  return isReserved(plain) ? `${plain}-character` : plain || 'character';
}

/** What a model's file is called, without its ending: by the target's pattern, or as {@link fileNameOf} has it. */
export function modelNameOf(name: string, target: Target): string {
  const { file } = target.package.names ?? {};
  if (!file) return fileNameOf(name);
  const [own] = namesBy(file, [{ name }], { character: name, target: target.title }, { files: true }).names;
  return isReserved(own) ? `${own}-character` : own;
}
