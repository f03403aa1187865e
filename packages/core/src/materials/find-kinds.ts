import type { Document, Material } from '@gltf-transform/core';
import {
  copyDocument,
  kindFromName,
  namedKindsOf,
  textureFile,
  type KindFound,
  type MaterialKind,
  readDossier,
  updateDossier,
} from '../character/index.ts';
import type { ImageCodec } from '../pixels/index.ts';
import { standAsFound } from '../rig/index.ts';
import { type KindFeatures, kindFeatures } from './kind-features.ts';

/** From here on a kind is acted on; below it stays a guess, for the user to say. */
export const SURE_OF_KIND = 0.6;

/**
 * What every material is: by what was said, its name, the names of parts that wear it and of its maps; where those say
 * nothing, by where it lies on the figure and how it looks there.
 * @param document a figure that stands in metres and faces +Z
 */
export async function findKinds(document: Document, images: ImageCodec): Promise<Map<Material, KindFound>> {
  const kindOf = namedKindsOf(document),
    found = new Map<Material, KindFound>(),
    silent = new Set<Material>();
  for (const material of document.getRoot().listMaterials()) {
    const named = kindOf(material),
      kind = named.kind === 'other' ? byMapNames(material) : named;
    found.set(material, kind ?? named);
    if (!kind && named.confidence === 0) silent.add(material);
  }
  if (!silent.size) return found;
  // Those whose names say what they are help to understand the others.
  const features = await kindFeatures(document, new Set(found.keys()), images),
    face = features.find(
      (entry) =>
        entry.share.face > FACE &&
        (found.get(entry.material)?.kind === 'skin' || (silent.has(entry.material) && isSkinLike(entry))),
    );
  for (const entry of features) if (silent.has(entry.material)) found.set(entry.material, byPlace(entry, face ?? null));
  return found;
}

/**
 * Finds out what materials are whose names say nothing and keeps it with the document, as it arrives: what is certain
 * counts from then on like a name. Materials that share a name are left to be said by hand.
 */
export async function recogniseKinds(document: Document, images: ImageCodec): Promise<void> {
  const materials = document.getRoot().listMaterials(),
    names = materials.map((material) => material.getName()),
    kindOf = namedKindsOf(document),
    { materialKinds = {} } = readDossier(document),
    silent = materials.filter(
      (material, i) => names.indexOf(names[i]) === names.lastIndexOf(names[i]) && !kindOf(material).confidence,
    );
  if (!silent.length) return;
  const standing = copyDocument(document);
  standAsFound(standing);
  const found = new Map([...(await findKinds(standing, images))].map(([material, kind]) => [material.getName(), kind])),
    kept = silent.flatMap((material): [string, KindFound][] => {
      const kind = found.get(material.getName());
      return kind ? [[material.getName(), kind]] : [];
    });
  updateDossier(document, {
    kindsFound: Object.fromEntries(kept),
    materialKinds: {
      ...materialKinds,
      ...Object.fromEntries(
        kept.flatMap(([name, { kind, confidence }]) => (confidence >= SURE_OF_KIND ? [[name, kind]] : [])),
      ),
    },
  });
}

function byMapNames(material: Material): KindFound | null {
  for (const texture of [material.getBaseColorTexture(), material.getNormalTexture()]) {
    const file = texture
        ? textureFile(texture)
            .replace(/^.*[\\/]/, '')
            .replace(/\.[^.]+$/, '')
        : '',
      kind = kindFromName(file);
    if (kind) return { kind, confidence: 0.75, reason: `its map “${file}” is called so` };
  }
  return null;
}

/** What a surface on a figure of 1.75 m tells of itself; lengths in metres from between the eyes, areas in square centimetres. */
interface Told {
  f: KindFeatures;
  cm2: number;
  /** Looks like skin; and like the skin of this face, null where there is none or that is hard to say. */
  skin: boolean;
  likeFace: boolean | null;
}
interface Clue {
  kind: MaterialKind;
  confidence: number;
  says: string;
  is(told: Told): boolean;
}
/** Share of a surface in the face that makes it a face. */
const FACE = 0.15;
const seenThrough = ({ alpha }: KindFeatures): boolean => alpha.mean < 0.6 || alpha.spread > 0.2;
const inMouth = ({ low, high }: KindFeatures): boolean =>
  high[0] < 0.045 && low[0] > -0.045 && low[1] > -0.11 && high[1] < -0.035 && high[2] < 0.03 && low[2] > -0.07;
const reddish = ({ lab }: KindFeatures): boolean => lab[1] > 14;

/** Most telling first: the first clue that fits is taken. */
const CLUES: readonly Clue[] = [
  {
    kind: 'cornea',
    confidence: 0.8,
    says: 'a clear layer over both eyeballs',
    is: ({ f, cm2 }) =>
      f.eye.most < 0.02 && cm2 > 8 && cm2 < 45 && f.alpha.mean < 0.6 && f.alpha.spread < 0.2 && f.lab[0] > 50,
  },
  {
    kind: 'eye',
    confidence: 0.85,
    says: 'two balls where the eyes are',
    is: ({ f, cm2 }) => f.eye.most < 0.02 && cm2 > 12 && cm2 < 45 && !seenThrough(f),
  },
  {
    kind: 'tear',
    confidence: 0.7,
    says: 'a thin clear line along the lower lids',
    is: ({ f, cm2 }) => f.eye.most < 0.02 && cm2 < 4 && f.lab[0] > 60 && f.alpha.mean < 0.6 && f.high[1] < 0.006,
  },
  {
    kind: 'lash',
    confidence: 0.75,
    says: 'dark strands along the lids',
    is: ({ f, cm2 }) =>
      f.eye.most < 0.03 && cm2 < 15 && f.lab[0] < 45 && seenThrough(f) && f.low[1] > -0.016 && f.high[1] < 0.018,
  },
  {
    kind: 'brow',
    confidence: 0.8,
    says: 'strands right over the eyes',
    is: ({ f, cm2 }) => f.eye.most < 0.05 && cm2 < 40 && seenThrough(f) && f.low[1] > 0.006 && f.high[1] < 0.035,
  },
  {
    kind: 'teeth',
    confidence: 0.8,
    says: 'light and pale, inside the mouth',
    is: ({ f, cm2 }) => inMouth(f) && cm2 < 80 && f.lab[0] > 60 && Math.hypot(f.lab[1], f.lab[2]) < 28,
  },
  {
    kind: 'tongue',
    confidence: 0.65,
    says: 'red, narrow and in the middle of the mouth',
    is: ({ f, cm2 }) => inMouth(f) && cm2 < 60 && reddish(f) && f.high[0] < 0.018 && f.high[2] - f.low[2] > 0.022,
  },
  {
    kind: 'gums',
    confidence: 0.65,
    says: 'red, around the mouth from inside',
    is: ({ f, cm2 }) => inMouth(f) && cm2 < 80 && reddish(f) && f.high[0] >= 0.018,
  },
  {
    kind: 'nail',
    confidence: 0.75,
    says: 'small pieces on the ends of fingers and toes',
    is: ({ f, cm2 }) => f.share.tips > 0.9 && cm2 < 40,
  },
  {
    kind: 'hair',
    confidence: 0.75,
    says: 'strands with gaps over the skull',
    is: ({ f, cm2 }) => f.share.crown > 0.4 && f.high[1] > 0.06 && cm2 > 700 && f.alpha.spread > 0.2,
  },
  {
    kind: 'scalp',
    confidence: 0.65,
    says: 'a layer over the skull that fades out',
    is: ({ f, cm2 }) =>
      f.share.crown > 0.5 &&
      f.high[1] > 0.06 &&
      cm2 < 1000 &&
      f.alpha.mean > 0.6 &&
      f.alpha.mean < 0.99 &&
      f.alpha.spread <= 0.2,
  },
  {
    kind: 'skin',
    confidence: 0.85,
    says: 'a face, of the colour of skin',
    is: ({ f, skin }) => f.share.face > FACE && skin,
  },
  {
    kind: 'skin',
    confidence: 0.75,
    says: 'hands of the colour of this face',
    is: ({ f, likeFace }) => f.share.hands > 0.8 && likeFace === true,
  },
  {
    kind: 'skin',
    confidence: 0.7,
    says: 'a body of the colour of this face',
    is: ({ f, cm2, likeFace }) => cm2 > 4000 && f.high[1] - f.low[1] > 1 && f.share.feet > 0.01 && likeFace === true,
  },
  {
    kind: 'cloth',
    confidence: 0.65,
    says: 'it covers much of the body and is not of the colour of its skin',
    is: ({ f, cm2, likeFace }) =>
      cm2 > 2000 &&
      likeFace === false &&
      !seenThrough(f) &&
      f.share.crown + f.share.face < 0.05 &&
      f.share.feet < 0.2 &&
      f.share.hands < 0.2,
  },
  // What isn't told well enough to be acted on.
  { kind: 'leather', confidence: 0.4, says: 'it covers the feet', is: ({ f }) => f.share.feet > 0.3 },
  { kind: 'cloth', confidence: 0.4, says: 'it covers the skull and has no gaps', is: ({ f }) => f.share.crown > 0.5 },
  { kind: 'cloth', confidence: 0.4, says: 'it lies on the body', is: ({ f, cm2 }) => cm2 > 300 && !seenThrough(f) },
];

function byPlace(f: KindFeatures, face: KindFeatures | null): KindFound {
  const told: Told = {
      f,
      cm2: f.area * 1e4,
      skin: isSkinLike(f),
      likeFace: face && face !== f ? likeness(f, face) : null,
    },
    clue = CLUES.find((entry) => entry.is(told));
  return clue
    ? { kind: clue.kind, confidence: clue.confidence, reason: clue.says }
    : { kind: 'other', confidence: 0, reason: 'nothing tells: not its name, its place or its looks' };
}

/** Colours that skin has from the lightest to the darkest (after Xiao et al. 2017), with room for how maps are painted. */
const isSkinLike = ({ lab: [l, a, b], alpha }: KindFeatures): boolean =>
  alpha.mean > 0.9 && l > 12 && l < 88 && a > 2 && a < 24 && b > 2 && b < 34 && b / a > 0.6 && b / a < 3.2;
/** Whether two surfaces have one colour of skin; null where that is hard to say: a body that wears something has a mean of both. */
function likeness(one: KindFeatures, face: KindFeatures): boolean | null {
  if (!isSkinLike(one)) return false;
  const apart = hueApart(one, face);
  return apart < ALIKE ? true : apart > UNLIKE ? false : null;
}
const ALIKE = 9,
  UNLIKE = 16;
const hueApart = (one: KindFeatures, other: KindFeatures): number =>
  Math.hypot(one.lab[1] - other.lab[1], one.lab[2] - other.lab[2]);
