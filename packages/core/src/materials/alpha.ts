import type { Document, Material } from '@gltf-transform/core';
import { backsMissed } from '../appearance/index.ts';
import { CLEAR_KINDS, kindsOf, listParts, type MaterialKind, SOLID_KINDS, STRAND_KINDS } from '../character/index.ts';
import type { ImageCodec, Pixels } from '../pixels/index.ts';

/** What a map's alpha really holds, from its histogram. */
export interface AlphaFound {
  pattern: 'none' | 'empty' | 'constant' | 'two-valued' | 'graded';
  /** Share of texels under 5/255, over 250/255, and between. */
  clear: number;
  solid: number;
  between: number;
  mean: number;
  /** Alpha, 0 … 1, above which as much of the map lies as it covers on the whole. */
  keeping: number;
}

const SOLID: AlphaFound = Object.freeze({
  pattern: 'none',
  clear: 0,
  solid: 1,
  between: 0,
  mean: 1,
  keeping: 0.5,
});

export function analyseAlpha(pixels: Pixels): AlphaFound {
  const histogram = new Uint32Array(256);
  for (let i = 3; i < pixels.data.length; i += 4) histogram[pixels.data[i]]++;
  const total = pixels.width * pixels.height || 1;
  let clear = 0,
    solid = 0,
    sum = 0,
    low = 255,
    high = 0;
  for (let value = 0; value < 256; value++) {
    const n = histogram[value];
    if (!n) continue;
    if (value < 5) clear += n;
    if (value > 250) solid += n;
    sum += n * value;
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  const share = {
    clear: clear / total,
    solid: solid / total,
    between: 1 - (clear + solid) / total,
    mean: sum / total / 255,
    keeping: keepingCut(histogram, sum / 255),
  };
  const pattern =
    share.solid === 1
      ? 'none'
      : share.clear === 1
        ? 'empty'
        : high - low <= 2
          ? 'constant'
          : share.between < 0.02
            ? 'two-valued'
            : 'graded';
  return { pattern, ...share };
}

/** The cut above which `covered` texels lie. */
function keepingCut(histogram: Uint32Array, covered: number): number {
  let above = 0;
  for (let value = 255; value > 0; value--) {
    above += histogram[value];
    if (above >= covered) return value / 255;
  }
  return 0;
}

/** How transparent surfaces are drawn on the target. */
export interface AlphaRule {
  /** Blended surfaces must be sorted; many engines can't for hair. */
  hair: 'blend' | 'mask';
  blendAllowed: boolean;
}

export interface AlphaDecision {
  material: Material;
  kind: MaterialKind;
  alphaMode: 'OPAQUE' | 'MASK' | 'BLEND';
  alphaCutoff: number;
  doubleSided: boolean;
  /** Where it would be cut, were it cut out. */
  cutIfCut: number;
  /** What wears it can't be shown on the target at all. */
  leaveOut: boolean;
  why: string;
}

/** Single layers of strands on solid skin: nothing of theirs has to be sorted. */
const ON_SKIN: readonly MaterialKind[] = ['lash', 'brow'];
/** Share of what is seen of a material that back faces have to make, for it to be drawn from both sides. */
const BACKS = 0.04;

/** What is around a material on its figure. */
export interface AlphaSurroundings {
  /** Hair lies over it: were both blended, they would be sorted by where their middles happen to lie. */
  underHair: boolean;
  /** Share of what is seen of it that would be gone without its back faces, see `backsMissed`. */
  backs: number;
}
const ALONE: AlphaSurroundings = { underHair: false, backs: 0 };

/**
 * Opaque, cut-out or blended, decided from pixels, material kind and the target (S3). A map that is nearly
 * solid on a solid kind is made opaque; strands are cut out or blended as the target sorts them.
 */
export function decideAlpha(
  kind: MaterialKind,
  found: AlphaFound | null,
  factor: number,
  rule: AlphaRule,
  material: Material,
  { underHair, backs }: AlphaSurroundings = ALONE,
): AlphaDecision {
  const said = material.getAlphaMode();
  const solid = !found || found.pattern === 'none';
  // From behind a body is hollow: through an open corner of the eye one would see the far side of the head.
  const doubleSided = backs >= BACKS && !SOLID_KINDS.includes(kind);
  const decide = (
    alphaMode: AlphaDecision['alphaMode'],
    why: string,
    alphaCutoff = 0.5,
    leaveOut = false,
  ): AlphaDecision => ({
    material,
    kind,
    alphaMode,
    alphaCutoff,
    cutIfCut: alphaMode === 'MASK' ? alphaCutoff : cutKeepingCoverage(found),
    doubleSided,
    leaveOut,
    why,
  });
  // What lies under the cut everywhere would be cut away whole.
  const vanishes =
    (!found || found.pattern === 'none' || found.pattern === 'constant' || found.pattern === 'empty') &&
    (found?.pattern === 'empty' ? 0 : (found?.mean ?? 1)) * factor < CUT;
  if (CLEAR_KINDS.includes(kind) && (factor < 0.98 || !solid)) {
    if (rule.blendAllowed) return decide('BLEND', 'a clear layer over what lies behind it');
    return vanishes
      ? decide('BLEND', "the target can't blend, and a cut would take the clear layer away whole", CUT, true)
      : decide('MASK', "the target can't blend; the clear layer is cut out");
  }
  // glTF says that alpha is unused there: what lies in it is something else.
  if (said === 'OPAQUE' && factor >= 0.98 && !STRAND_KINDS.includes(kind))
    return decide('OPAQUE', 'it came opaque; what its map has in alpha stays unused');
  if (solid && factor >= 0.98)
    return decide('OPAQUE', found ? 'its map is solid everywhere' : 'it has no transparency');
  if (ON_SKIN.includes(kind) && rule.blendAllowed && found?.pattern === 'graded')
    return decide('BLEND', 'strands in one layer on skin: soft, and nothing to sort');
  if (kind === 'scalp' && underHair && rule.hair === 'mask' && rule.blendAllowed && found?.pattern === 'graded')
    return decide('BLEND', 'a soft hairline; the hair over it is cut out, and nothing has to be sorted');
  if (kind === 'scalp' && underHair)
    return decide(
      'MASK',
      'it lies under hair, where two blended layers would change places',
      cutKeepingCoverage(found),
    );
  if (STRAND_KINDS.includes(kind)) {
    if (rule.hair === 'blend' && rule.blendAllowed && found?.pattern === 'graded')
      return decide('BLEND', 'strands with soft edges, blended on this target');
    return decide('MASK', 'strands, cut out so that they need no sorting', cutKeepingCoverage(found));
  }
  if (SOLID_KINDS.includes(kind) && (solid || found.pattern === 'constant'))
    return decide(
      'OPAQUE',
      `nothing is seen through ${THE[kind] ?? kind}: what the file says of all of it is taken for a mistake`,
    );
  if (solid || found.pattern === 'constant')
    return rule.blendAllowed
      ? decide('BLEND', `see-through at ${Math.round(factor * (found?.mean ?? 1) * 100)} %`)
      : decide('OPAQUE', "the target can't blend");
  if (found.pattern === 'empty')
    return decide('OPAQUE', 'its alpha is empty, which would hide it: taken for a mistake');
  if (SOLID_KINDS.includes(kind) && found.clear < 0.02)
    return decide('OPAQUE', `nothing lies behind ${kind === 'nail' ? 'nails' : kind}; it is drawn solid`);
  if (found.pattern === 'two-valued' && found.clear > 0.002) return decide('MASK', 'its alpha is on or off');
  if (found.solid > 0.97 || found.mean > 0.97)
    return decide('OPAQUE', `${Math.round(found.solid * 100)} % of its map is solid: transparency by accident`);
  return rule.blendAllowed && found.pattern === 'graded' && found.between > 0.25
    ? decide('BLEND', 'its alpha is graded')
    : decide('MASK', 'its alpha has mostly hard edges');
}

const THE: Partial<Record<MaterialKind, string>> = {
  skin: 'skin and lips',
  lips: 'skin and lips',
  eye: 'eyeballs',
  nail: 'nails',
  teeth: 'teeth and gums',
  gums: 'teeth and gums',
  tongue: 'tongues',
};

/** Where cut-outs are cut as a rule. */
const CUT = 0.5;

/** A cut that keeps the covered area: as many texels lie above it as the map covers on the whole (after Castaño 2010). */
function cutKeepingCoverage(found: AlphaFound | null): number {
  if (!found || found.pattern !== 'graded') return CUT;
  return Math.round(Math.min(0.6, Math.max(0.08, found.keeping)) * 100) / 100;
}

/** Looks at every material's base colour map at full size: strands and weaves finer than a reduced picture would look half clear. */
export async function planAlpha(
  document: Document,
  rule: AlphaRule,
  images: ImageCodec,
  report: (fraction: number) => void = () => {},
): Promise<{ decisions: AlphaDecision[]; found: Map<Material, AlphaFound | null> }> {
  const parts = listParts(document),
    kindOf = kindsOf(document),
    underHair = parts.some((part) => part.kind === 'hair'),
    backs = backsMissed(document);
  const decisions: AlphaDecision[] = [];
  const found = new Map<Material, AlphaFound | null>();
  const known = new Map<Uint8Array, AlphaFound | null>();
  const materials = document.getRoot().listMaterials();
  for (const [i, material] of materials.entries()) {
    const image = material.getBaseColorTexture()?.getImage();
    let alpha = image?.length ? known.get(image) : null;
    if (image?.length && alpha === undefined) {
      try {
        alpha = holdsAlpha(image) ? analyseAlpha(await images.decode(image)) : SOLID;
      } catch {
        alpha = null;
      }
      known.set(image, alpha);
    }
    alpha ??= null;
    found.set(material, alpha);
    decisions.push(
      decideAlpha(kindOf(material), alpha, material.getBaseColorFactor()[3], rule, material, {
        underHair,
        backs: backs.get(material) ?? 0,
      }),
    );
    report((i + 1) / materials.length);
  }
  return { decisions, found };
}

/** Whether a file's head leaves room for alpha: JPEG has none, nor has PNG of grey or colour alone without a list of clear values (PNG, §11.2.2, §11.3.2.1). */
function holdsAlpha(bytes: Uint8Array): boolean {
  if (bytes[0] === 0xff && bytes[1] === 0xd8) return false;
  const png = bytes.length > 33 && bytes[0] === 0x89 && bytes[1] === 0x50 && bytes[2] === 0x4e && bytes[3] === 0x47;
  if (!png || bytes[25] >= 4) return true;
  // Chunks before the pixels: four bytes of length, four of name.
  const head = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 8; at + 8 <= bytes.length; at += 12 + head.getUint32(at)) {
    const name = head.getUint32(at + 4);
    if (name === TRANSPARENCY) return true;
    if (name === PIXELS) return false;
  }
  return true;
}
const TRANSPARENCY = 0x74524e53,
  PIXELS = 0x49444154;
