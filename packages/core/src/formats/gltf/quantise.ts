import type { Document, Primitive } from '@gltf-transform/core';
import { quantize } from '@gltf-transform/functions';

/** How fine a number is kept, bits. Steps of a figure 1.8 m tall: 0.03 mm, 0.03°, a sixteenth of a texel of 4096. */
const BITS = {
  quantizePosition: 16,
  quantizeNormal: 12,
  quantizeTexcoord: 16,
  quantizeColor: 16,
  // As fine as they are by then, which leaves them alone.
  quantizeWeight: 16,
  quantizeGeneric: 16,
} as const;

/**
 * Stores the arrays of vertices and morphs as whole numbers (KHR_mesh_quantization), over one volume for all parts, so
 * that seams between parts stay shut. Texture places outside 0 … 1 stay as they are. Changes `document`; its arrays
 * are replaced, never written.
 */
export async function quantise(document: Document): Promise<void> {
  const before = new Set(document.getRoot().listNodes());
  quantiseWeights(document);
  await document.transform(
    // It would sort weights with their joints, in place, once for every part that shares an array of joints.
    quantize({ ...BITS, quantizationVolume: 'scene', normalizeWeights: false, cleanup: false }),
  );
  // A surface that others hang on, or that a clip moves, gets a node of its own for its volume: it is the same part.
  for (const node of document.getRoot().listNodes())
    if (!before.has(node)) node.setName(node.getParentNode()?.getName() ?? '');
}

const MOST = 65_535;

/** Weights as whole numbers of 16 bits that sum to one, which the core of glTF 2.0 allows (§3.7.3.3); joints keep their slots. */
export function quantiseWeights(document: Document): void {
  const done = new Set<unknown>();
  for (const mesh of document.getRoot().listMeshes())
    for (const prim of mesh.listPrimitives()) {
      const sets = weightsOf(prim);
      if (!sets.length || done.has(sets[0].accessor)) continue;
      const whole = wholeWeights(sets.map(({ values }) => values));
      sets.forEach(({ semantic, accessor }, n) => {
        const packed = accessor.clone().setArray(whole[n]).setNormalized(true).setSparse(false);
        // Parts that share weights go on sharing them.
        for (const parent of accessor.listParents())
          if (parent.propertyType === 'Primitive') parent.swap(accessor, packed);
        if (prim.getAttribute(semantic) !== packed) prim.setAttribute(semantic, packed);
        done.add(packed);
      });
    }
}

function weightsOf(prim: Primitive) {
  const sets = [];
  for (let n = 0; ; n++) {
    const semantic = `WEIGHTS_${n}`,
      accessor = prim.getAttribute(semantic);
    if (!accessor) return sets;
    const values = accessor.getArray();
    // Whole numbers already: nothing is gained.
    if (!(values instanceof Float32Array)) return [];
    sets.push({ semantic, accessor, values });
  }
}

/** Of every vertex the share of its sum; what rounding leaves over goes to the largest. A vertex without weights keeps none. */
function wholeWeights(sets: readonly Float32Array[]): Uint16Array<ArrayBuffer>[] {
  const out = sets.map((values) => new Uint16Array(values.length));
  for (let v = 0; v < sets[0].length; v += 4) {
    let sum = 0;
    for (const values of sets) for (let k = v; k < v + 4; k++) sum += values[k];
    if (!(sum > 0)) continue;
    let left = MOST,
      largest = 0,
      at = v,
      where = out[0];
    sets.forEach((values, n) => {
      for (let k = v; k < v + 4; k++) {
        left -= out[n][k] = Math.round((values[k] / sum) * MOST);
        if (out[n][k] > largest) {
          largest = out[n][k];
          at = k;
          where = out[n];
        }
      }
    });
    where[at] += left;
  }
  return out;
}

/** What {@link quantise} and the coding of meshes may use for positions, bits. */
export const POSITION_BITS = BITS.quantizePosition;
