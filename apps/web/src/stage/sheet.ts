import type { StageRenderer } from './renderer.ts';
import type { Side } from './state.ts';
import type { Shot } from './shots.ts';

const SHOTS: readonly (readonly [Shot, string])[] = [
  ['figure', 'Front'],
  ['side', 'Side'],
  ['behind', 'Back'],
  ['head', 'Head'],
  ['head from the side', 'Profile'],
  ['eyes', 'Eyes'],
  ['mouth', 'Mouth'],
  ['hands', 'Hand'],
];
const CELL = { width: 460, height: 520 },
  ACROSS = 4,
  HEAD = 84,
  GAP = 6;

export interface SheetText {
  title: string;
  lines: readonly string[];
}

/** One picture of a character from all sides, as it is shown now, with its name and numbers: to send to somebody who looks only at pictures. */
export async function contactSheet(stage: StageRenderer, side: Side, text: SheetText): Promise<Blob> {
  const down = Math.ceil(SHOTS.length / ACROSS),
    sheet = document.createElement('canvas');
  sheet.width = ACROSS * CELL.width + (ACROSS + 1) * GAP;
  sheet.height = HEAD + down * (CELL.height + GAP);
  const pen = sheet.getContext('2d') as CanvasRenderingContext2D;
  pen.fillStyle = '#101417';
  pen.fillRect(0, 0, sheet.width, sheet.height);
  const font = getComputedStyle(document.body).fontFamily;
  pen.fillStyle = '#f0ece2';
  pen.font = `600 30px ${font}`;
  pen.fillText(text.title, 18, 40);
  pen.fillStyle = '#a9b1b6';
  pen.font = `15px ${font}`;
  pen.fillText(text.lines.join('   '), 18, 68, sheet.width - 36);
  for (const [i, [shot, name]] of SHOTS.entries()) {
    const url = stage.photograph(side, shot, CELL.width, CELL.height);
    if (!url) continue;
    const x = GAP + (i % ACROSS) * (CELL.width + GAP),
      y = HEAD + Math.floor(i / ACROSS) * (CELL.height + GAP);
    const ground = pen.createRadialGradient(
      x + CELL.width / 2,
      y + CELL.height * 0.4,
      20,
      x + CELL.width / 2,
      y + CELL.height * 0.4,
      CELL.height * 0.8,
    );
    ground.addColorStop(0, '#555a5f');
    ground.addColorStop(1, '#2b3034');
    pen.fillStyle = ground;
    pen.fillRect(x, y, CELL.width, CELL.height);
    const image = new Image();
    image.src = url;
    await image.decode();
    pen.drawImage(image, x, y);
    pen.fillStyle = '#d8d5cc';
    pen.font = `14px ${font}`;
    pen.fillText(name, x + 12, y + CELL.height - 12);
  }
  return new Promise((resolve, reject) =>
    sheet.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be made.'))), 'image/png'),
  );
}

/** Hands a picture to the browser's downloads. */
export function savePicture(picture: Blob | string, name: string): void {
  const url = typeof picture === 'string' ? picture : URL.createObjectURL(picture),
    link = document.createElement('a');
  link.href = url;
  link.download = `${name
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/g, '')
    .toLowerCase()}.png`;
  link.click();
  if (typeof picture !== 'string') setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
