import { copyDocument, floatsOf, influencesOf, listParts, SHIPPED_TARGETS, skeletonOf, stepById } from '@dimetra/core';
import * as v from 'valibot';
import { stickFigure } from '../packages/core/src/testing/stick-figure.ts';

/** A figure of about 150,000 vertices, 120 joints and 80 morphs, every joint pulling somewhere. */
function largeFigure() {
  const roles = [
    'spine',
    'chest',
    'upperChest',
    'neck',
    'head',
    'leftUpperArm',
    'rightUpperArm',
    'leftLowerArm',
    'rightLowerArm',
    'leftUpperLeg',
    'rightUpperLeg',
    'leftLowerLeg',
    'rightLowerLeg',
  ] as const;
  const probe = skeletonOf(stickFigure()).joints.length;
  const extra = Object.fromEntries(
    Array.from({ length: 120 - probe }, (_, i) => [
      `helper_${i}`,
      {
        under: roles[i % roles.length],
        at: [0.2 * Math.sin(i), 0.4 + (i / 120) * 1.2, 0.1 * Math.cos(i)] as [number, number, number],
      },
    ]),
  );
  const document = stickFigure({ rings: 62, sides: 44, extra });
  const [part] = listParts(document),
    position = floatsOf(part.prim.getAttribute('POSITION') as never);
  for (let m = 1; m < 80; m++) {
    const delta = new Float32Array(position.length);
    // A soft bump around another place each time.
    const x = 0.3 * Math.sin(m * 2.1),
      y = 0.2 + (m / 80) * 1.5;
    for (let i = 0; i < delta.length; i += 3) {
      const far = (position[i] - x) ** 2 + (position[i + 1] - y) ** 2;
      if (far < 0.09) {
        const f = 0.01 * (1 - far / 0.09);
        delta[i] = f;
        delta[i + 1] = -f;
        delta[i + 2] = f;
      }
    }
    part.prim.addTarget(
      document
        .createPrimitiveTarget(`m${m}`)
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(delta)),
    );
  }
  part.mesh.setExtras({ targetNames: Array.from({ length: 80 }, (_, m) => `m${m}`) });
  return document;
}

/** Each vertex's weighted sum of its joints' matrices, the upper three rows. */
function blend(
  { perVertex, joints, weights }: NonNullable<ReturnType<typeof influencesOf>>,
  matrices: Float64Array,
  vertices: number,
): Float64Array {
  const out = new Float64Array(vertices * 12);
  for (let v = 0; v < vertices; v++)
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
      const w = weights[k],
        m = joints[k] * 16;
      if (w !== 0)
        for (let row = 0; row < 3; row++)
          for (let c = 0; c < 4; c++) out[v * 12 + row * 4 + c] += w * matrices[m + c * 4 + row];
    }
  return out;
}

/** Remapping and another rest pose together, against one plain pass of linear blend skinning over the mesh and all its morphs. */
export async function benchFigure(
  say: (name: string, value: string, wanted: string) => void,
  sideBySide: (
    ours: () => Promise<unknown>,
    bare: () => Promise<unknown>,
    rounds?: number,
    prepare?: () => Promise<void>,
  ) => Promise<{ ours: number; bare: number }>,
): Promise<void> {
  const source = largeFigure(),
    target = SHIPPED_TARGETS.find((entry) => entry.id === 'corvane-figure') as (typeof SHIPPED_TARGETS)[number];
  const steps = ['skeleton.remap', 'rest.convert'].map(
    (id) => stepById(id) as NonNullable<ReturnType<typeof stepById>>,
  );
  const context = { progress() {}, log() {} } as never;
  let fresh = copyDocument(source);
  const ours = async () => {
    for (const step of steps) await step.run(fresh, v.parse(step.settings, {}), target, context);
  };
  const [part] = listParts(source),
    position = floatsOf(part.prim.getAttribute('POSITION') as never),
    normal = floatsOf(part.prim.getAttribute('NORMAL') as never);
  const morphs = part.prim.listTargets().map((entry) => floatsOf(entry.getAttribute('POSITION') as never)),
    influences = influencesOf(part.prim) as NonNullable<ReturnType<typeof influencesOf>>;
  const matrices = Float64Array.from({ length: skeletonOf(source).joints.length * 16 }, (_, i) =>
    (i % 16) % 5 === 0 ? 1 : i % 16 > 11 ? 0.01 * (i % 7) : 0.02 * ((i % 5) - 2),
  );
  const bare = async () => {
    const blended = blend(influences, matrices, part.vertices),
      out = new Float32Array(position.length);
    for (const [values, place] of [[position, 1], [normal, 0], ...morphs.map((delta) => [delta, 0] as const)] as const)
      for (let v = 0; v < part.vertices; v++) {
        const m = v * 12,
          i = v * 3,
          x = values[i],
          y = values[i + 1],
          z = values[i + 2];
        out[i] = blended[m] * x + blended[m + 1] * y + blended[m + 2] * z + blended[m + 3] * place;
        out[i + 1] = blended[m + 4] * x + blended[m + 5] * y + blended[m + 6] * z + blended[m + 7] * place;
        out[i + 2] = blended[m + 8] * x + blended[m + 9] * y + blended[m + 10] * z + blended[m + 11] * place;
      }
    return out;
  };
  const found = await sideBySide(ours, bare, 3, async () => {
    fresh = copyDocument(source);
  });
  process.stdout.write(
    `  ${part.vertices.toLocaleString('en')} vertices, ${skeletonOf(source).joints.length} joints, ${morphs.length} morphs: remap and rest pose ${(found.ours / 1000).toFixed(2)} s, one pass of skinning ${(found.bare / 1000).toFixed(2)} s\n`,
  );
  say('Remap and rest pose ÷ one pass of skinning with morphs', (found.ours / found.bare).toFixed(2), '≤ 6');
  say('  seconds', (found.ours / 1000).toFixed(2), '≤ 2');
}
