import type { Document, Material } from '@gltf-transform/core';
import { srgbToLinear } from '../mesh/color.ts';
import type { ImageShelf } from '../images/shelf.ts';
import { type LegacyChannel, type LegacyMaterial, toMaterial } from '../mesh/legacy-material.ts';

const MAPS: Record<string, LegacyChannel> = {
  map_kd: 'diffuse',
  map_ks: 'specular',
  map_ns: 'shininess',
  map_d: 'opacity',
  map_opacity: 'opacity',
  map_ke: 'emissive',
  map_emissive: 'emissive',
  map_bump: 'bump',
  bump: 'bump',
  norm: 'normal',
  map_kn: 'normal',
  map_norm: 'normal',
  map_pr: 'roughness',
  map_pm: 'metallic',
  map_ao: 'occlusion',
  disp: 'height',
  map_disp: 'height',
};
/** How many words follow each option of a map line. */
const OPTION_WORDS: Record<string, number> = {
  '-blendu': 1,
  '-blendv': 1,
  '-boost': 1,
  '-mm': 2,
  '-o': 3,
  '-s': 3,
  '-t': 3,
  '-texres': 1,
  '-clamp': 1,
  '-bm': 1,
  '-imfchan': 1,
  '-type': 1,
  '-cc': 1,
  '-colorspace': 1,
};

/**
 * Reads an MTL library: classic keys and the physically based ones that several writers share (Pr, Pm, Ke, norm,
 * map_Pr, map_Pm). Unknown keys are left aside.
 */
export function readMtl(text: string, document: Document, shelf: ImageShelf): Map<string, Material> {
  const out = new Map<string, LegacyMaterial>();
  let now: LegacyMaterial | null = null;
  for (const raw of text.replace(/\\\r?\n/g, ' ').split(/\r\n?|\n/)) {
    const line = raw.replace(/(^|\s)#.*$/, '').trim();
    const split = line.search(/\s/);
    if (split < 0) continue;
    const key = line.slice(0, split).toLowerCase(),
      rest = line.slice(split).trim();
    if (key === 'newmtl') {
      now = { name: rest, diffuse: [0.8, 0.8, 0.8], emissive: [0, 0, 0], opacity: 1, maps: {} };
      if (!out.has(rest)) out.set(rest, now);
      continue;
    }
    if (now) setKey(now, key, rest, shelf);
  }
  return new Map([...out].map(([name, legacy]) => [name, toMaterial(document, legacy)]));
}

function setKey(material: LegacyMaterial, key: string, rest: string, shelf: ImageShelf): void {
  const numbers = rest.split(/\s+/).map(Number);
  const clamp = (x: number) => (Number.isFinite(x) ? Math.max(0, Math.min(1, x)) : 0);
  const color = (): [number, number, number] => {
    const [r, g = r, b = r] = numbers;
    return [r, g, b].map((x) => srgbToLinear(clamp(x))) as [number, number, number];
  };
  const channel = MAPS[key];
  if (channel) {
    const file = mapFile(rest);
    const texture = file ? shelf.get(file) : null;
    if (texture)
      material.maps[channel === 'bump' && /(^|[_\-. ])(nrm|norm|normal|nml)/i.test(file) ? 'normal' : channel] =
        texture;
    return;
  }
  if (!Number.isFinite(numbers[0])) return;
  if (key === 'kd') material.diffuse = color();
  else if (key === 'ke') material.emissive = color();
  else if (key === 'ns') material.shininess = Math.max(0, numbers[0]);
  else if (key === 'd') material.opacity = clamp(numbers[0]);
  else if (key === 'tr') material.opacity = 1 - clamp(numbers[0]);
  else if (key === 'pr') material.roughness = clamp(numbers[0]);
  else if (key === 'pm') material.metallic = clamp(numbers[0]);
  else if (key === 'ni') material.ior = numbers[0];
}

/** What is left of a map line once its options are taken off: a file name that may hold spaces. */
function mapFile(rest: string): string {
  const words = rest.split(/\s+/);
  let i = 0;
  while (i < words.length - 1 && words[i].startsWith('-') && OPTION_WORDS[words[i].toLowerCase()] !== undefined) {
    let follow = OPTION_WORDS[words[i].toLowerCase()];
    i++;
    // -o, -s and -t take one to three numbers
    while (follow-- > 0 && i < words.length - 1 && (follow === 0 || Number.isFinite(Number(words[i])))) {
      if (words[i - 1].startsWith('-') || Number.isFinite(Number(words[i]))) i++;
      else break;
    }
  }
  return words
    .slice(i)
    .join(' ')
    .replace(/^"(.*)"$/, '$1');
}
