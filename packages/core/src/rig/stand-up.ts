import type { Document } from '@gltf-transform/core';
import { createDeformer, inverseBindsOf } from '../character/index.ts';
import { emptyBounds, growBounds, invertAffine, multiply, quatMultiply, type Quat } from '../geometry/index.ts';
import { soundCopy } from './broken-binds.ts';
import { stageThings } from './stage-things.ts';
import type { Stance, UpAxis } from './stance.ts';

export interface StandOptions {
  unitMetres: number;
  upAxis: UpAxis;
  facing: Stance['facing'];
  /** Lowest point to zero height. */
  floor: boolean;
}

/**
 * Turns, scales and lowers the whole character: meshes, morphs, joints, binds and clips, so that the result is in
 * metres, +Y up, facing +Z, on the floor. Nothing to do leaves every array as it is.
 */
export function standUp(document: Document, options: StandOptions): void {
  const turn = turnFor(options.upAxis, options.facing);
  const scale = options.unitMetres;
  if (scale !== 1 || turn[3] < 0.999999) transformCharacter(document, turn, scale);
  if (!options.floor) return;
  const aside = new Set(stageThings(document).map(({ part }) => part.id));
  const deformer = createDeformer(soundCopy(document), (part) => !aside.has(part.id), false);
  if (!deformer.vertices) return;
  const low = growBounds(emptyBounds(), deformer.evaluate(new Float32Array(deformer.vertices * 3))).min[1];
  // Under a millimetre is the shoe's own business.
  if (Math.abs(low) > 0.001 && Number.isFinite(low)) shift(document, -low);
}

const H = Math.SQRT1_2;
/** Turns that bring an axis upright, by the shortest way; half a turn about X for what stands on its head. */
const TILT: Readonly<Record<UpAxis, Quat>> = {
  y: [0, 0, 0, 1],
  '-y': [1, 0, 0, 0],
  z: [-H, 0, 0, H],
  '-z': [H, 0, 0, H],
  x: [0, 0, H, H],
  '-x': [0, 0, -H, H],
};

function turnFor(up: UpAxis, facing: Stance['facing']): Quat {
  const h = H,
    tilt = TILT[up];
  const yaw: Record<Stance['facing'], Quat> = {
    '+z': [0, 0, 0, 1],
    '-z': [0, 1, 0, 0],
    '+x': [0, -h, 0, h],
    '-x': [0, h, 0, h],
  };
  return quatMultiply(yaw[facing], tilt);
}

function rotateInto(array: Float32Array, q: Quat, scale: number, stride = 3): void {
  const [x, y, z, w] = q;
  for (let i = 0; i + 2 < array.length; i += stride) {
    const vx = array[i],
      vy = array[i + 1],
      vz = array[i + 2];
    const tx = 2 * (y * vz - z * vy),
      ty = 2 * (z * vx - x * vz),
      tz = 2 * (x * vy - y * vx);
    array[i] = (vx + w * tx + y * tz - z * ty) * scale;
    array[i + 1] = (vy + w * ty + z * tx - x * tz) * scale;
    array[i + 2] = (vz + w * tz + x * ty - y * tx) * scale;
  }
}

/** Rotation and uniform scale about the origin, baked into everything that has a place or a direction. */
function transformCharacter(document: Document, turn: Quat, scale: number): void {
  const root = document.getRoot();
  const done = new Set<unknown>();
  const bake = (accessor: ReturnType<typeof document.createAccessor> | null, factor: number, stride = 3) => {
    if (!accessor || done.has(accessor)) return;
    done.add(accessor);
    const copy = Float32Array.from(accessor.getArray() ?? []);
    if (accessor.getNormalized() || !(accessor.getArray() instanceof Float32Array)) {
      const element: number[] = [];
      for (let i = 0; i < accessor.getCount(); i++) {
        accessor.getElement(i, element);
        copy.set(element, i * accessor.getElementSize());
      }
    }
    rotateInto(copy, turn, factor, stride);
    accessor.setNormalized(false).setArray(copy);
  };
  for (const mesh of root.listMeshes())
    for (const prim of mesh.listPrimitives()) {
      for (const holder of [prim, ...prim.listTargets()]) {
        bake(holder.getAttribute('POSITION'), scale);
        bake(holder.getAttribute('NORMAL'), 1);
        bake(holder.getAttribute('TANGENT'), 1, holder === prim ? 4 : 3);
      }
    }
  // New local = T · old local · T⁻¹ everywhere, so every global is T · old global · T⁻¹.
  const inverse: Quat = [-turn[0], -turn[1], -turn[2], turn[3]];
  for (const node of root.listNodes()) {
    const t = Float32Array.from(node.getTranslation());
    rotateInto(t, turn, scale);
    node
      .setTranslation([t[0], t[1], t[2]])
      .setRotation(quatMultiply(quatMultiply(turn, node.getRotation() as Quat), inverse));
  }
  for (const skin of root.listSkins()) {
    const binds = inverseBindsOf(skin);
    const forward = new Float64Array(16),
      back = new Float64Array(16),
      half = new Float64Array(16),
      out = new Float64Array(binds.length);
    matrixOf(forward, turn, scale);
    invertAffine(back, 0, forward, 0);
    for (let i = 0; i < binds.length; i += 16) {
      multiply(half, 0, forward, 0, binds, i);
      multiply(out, i, half, 0, back, 0);
    }
    skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(Float32Array.from(out)));
  }
  for (const clip of root.listAnimations())
    for (const channel of clip.listChannels()) {
      const output = channel.getSampler()?.getOutput() ?? null;
      if (channel.getTargetPath() === 'translation') bake(output, scale);
      else if (channel.getTargetPath() === 'rotation' && output && !done.has(output)) {
        done.add(output);
        const values = Float32Array.from(output.getArray() ?? []);
        for (let i = 0; i + 3 < values.length; i += 4)
          values.set(
            quatMultiply(quatMultiply(turn, [values[i], values[i + 1], values[i + 2], values[i + 3]]), inverse),
            i,
          );
        output.setArray(values);
      }
    }
}

function matrixOf(out: Float64Array, q: Quat, scale: number): void {
  const axes = Float32Array.from([1, 0, 0, 0, 1, 0, 0, 0, 1]);
  rotateInto(axes, q, scale);
  out.fill(0);
  for (let column = 0; column < 3; column++)
    for (let row = 0; row < 3; row++) out[column * 4 + row] = axes[column * 3 + row];
  out[15] = 1;
}

/** Lifts the character: root nodes move, and so do clips that place a root. */
function shift(document: Document, up: number): void {
  for (const scene of document.getRoot().listScenes())
    for (const node of scene.listChildren()) {
      const [x, y, z] = node.getTranslation();
      node.setTranslation([x, y + up, z]);
      for (const clip of document.getRoot().listAnimations())
        for (const channel of clip.listChannels()) {
          const output = channel.getSampler()?.getOutput();
          if (channel.getTargetNode() !== node || channel.getTargetPath() !== 'translation' || !output) continue;
          const values = Float32Array.from(output.getArray() ?? []);
          for (let i = 1; i < values.length; i += 3) values[i] += up;
          output.setArray(values);
        }
    }
}
