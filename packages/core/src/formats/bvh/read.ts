import { Document, type Node } from '@gltf-transform/core';
import { addChannel } from '../../character/index.ts';
import { quatFromAxis, quatMultiply, type Quat } from '../../geometry/index.ts';
import { type Finding, ProblemError } from '../../problem.ts';
import { baseName, extensionOf, type InputFile } from '../files.ts';
import { makeSkin } from '../mesh/skin.ts';
import type { Reader, ReaderOutput } from '../reader.ts';
import { asUtf8 } from '../text/decode.ts';
import { isBlank, nextNumber, type NumberScan } from '../text/numbers.ts';

export const bvhReader: Reader = {
  id: 'bvh',
  title: 'BVH',
  extensions: ['bvh'],
  accepts: (file) => extensionOf(file.path) === 'bvh' || startsWith(file.bytes, 'HIERARCHY'),
  read: readBvh,
};

const startsWith = (bytes: Uint8Array, word: string): boolean => {
  let i = 0;
  while (i < bytes.length && isBlank(bytes[i])) i++;
  return [...word].every((c, k) => bytes[i + k] === c.charCodeAt(0));
};

interface BvhJoint {
  name: string;
  parent: number;
  offset: [number, number, number];
  channels: string[];
  end: boolean;
}
const MOST_JOINTS = 20_000;
const AXES: Record<string, [number, number, number]> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/**
 * Reads BVH: a skeleton, and its motion as a clip. Rotation channels are applied in the order in which they stand;
 * position channels are added to the joint's offset.
 * @throws ProblemError bvh.*
 */
export async function readBvh(main: InputFile): Promise<ReaderOutput> {
  const findings: Finding[] = [];
  const words = new Words(asUtf8(main.bytes), main.path);
  const joints = readHierarchy(words);
  const document = new Document();
  document.createBuffer();
  const scene = document.createScene();
  const nodes = joints.map((joint) => document.createNode(joint.name).setTranslation(joint.offset));
  joints.forEach((joint, i) => {
    if (joint.parent >= 0) nodes[joint.parent].addChild(nodes[i]);
    else scene.addChild(nodes[i]);
  });
  makeSkin(document, baseName(main.path).replace(/\.[^.]+$/, ''), nodes);
  const seconds = readMotion(document, words, joints, nodes, findings);
  findings.push({
    code: 'intake.no-mesh',
    severity: 'warning',
    message: `“${main.path}” holds a skeleton of ${joints.filter((joint) => !joint.end).length} joints${seconds ? ` and ${seconds.toFixed(1)} s of motion` : ''}, and no mesh.`,
    where: main.path,
  });
  return { document, findings, used: [main.path] };
}

function readHierarchy(words: Words): BvhJoint[] {
  const joints: BvhJoint[] = [],
    open: number[] = [];
  words.expect('HIERARCHY');
  for (;;) {
    const word = words.next();
    const key = word.toUpperCase();
    if (key === 'MOTION' || word === '') {
      if (open.length) throw words.bad('a joint is not closed');
      break;
    }
    if (key === 'ROOT' || key === 'JOINT' || key === 'END') {
      const parent = open.at(-1) ?? -1;
      const name =
        key === 'END' ? `${joints[parent]?.name ?? 'joint'}_end` : words.restOfLine() || `joint_${joints.length}`;
      if (key === 'END') {
        if (parent < 0) throw words.bad('an end site hangs under no joint');
        words.restOfLine();
      } else if ((key === 'JOINT') === parent < 0) throw words.bad(`${key} stands where it can't`);
      words.expect('{');
      open.push(joints.push({ name, parent, offset: [0, 0, 0], channels: [], end: key === 'END' }) - 1);
      if (joints.length > MOST_JOINTS) throw words.bad(`there are more than ${MOST_JOINTS} joints`);
    } else if (word === '}') {
      if (open.pop() === undefined) throw words.bad('a bracket closes nothing');
    } else if (key === 'OFFSET') {
      const joint = words.current(joints, open);
      joint.offset = [words.number(), words.number(), words.number()];
    } else if (key === 'CHANNELS') {
      const joint = words.current(joints, open),
        count = words.number();
      if (!Number.isInteger(count) || count < 0 || count > 64) throw words.bad(`a joint has ${count} channels`);
      for (let i = 0; i < count; i++) {
        const channel = words.next().toLowerCase();
        if (!/^[xyz](position|rotation|scale)$/.test(channel)) throw words.bad(`there is no channel “${channel}”`);
        joint.channels.push(channel);
      }
    } else throw words.bad(`“${word}” means nothing here`);
  }
  if (!joints.length) throw words.bad('it has no joints');
  return joints;
}

/** @returns length in seconds */
function readMotion(
  document: Document,
  words: Words,
  joints: readonly BvhJoint[],
  nodes: readonly Node[],
  findings: Finding[],
): number {
  const width = joints.reduce((sum, joint) => sum + joint.channels.length, 0);
  if (!/^frames:?$/i.test(words.next())) return 0;
  const declared = words.number();
  if (!/^frame$/i.test(words.next()) || !/^time:?$/i.test(words.next())) throw words.bad('the frame time is missing');
  const frameTime = words.number();
  const values = words.numbers();
  if (!width || !values.length) return 0;
  const frames = Math.floor(values.length / width);
  if (frames < declared)
    findings.push({
      code: 'bvh.cut-off',
      severity: 'warning',
      message: `The motion says ${declared} frames and holds ${frames}: it is cut off.`,
      measured: frames,
      limit: declared,
    });
  const step = frameTime > 0 && Number.isFinite(frameTime) ? frameTime : 1 / 30;
  const clip = document.createAnimation('motion');
  const input = document
    .createAccessor()
    .setType('SCALAR')
    .setArray(Float32Array.from({ length: frames }, (_, i) => i * step));
  let column = 0;
  joints.forEach((joint, j) => {
    const from = column;
    column += joint.channels.length;
    const add = (path: 'translation' | 'rotation', array: Float32Array<ArrayBuffer>) => {
      addChannel(document, clip, nodes[j], path, input, array);
    };
    const at = (frame: number, c: number) => {
      const value = values[frame * width + from + c];
      return Number.isFinite(value) ? value : 0;
    };
    if (joint.channels.some((channel) => channel.endsWith('position'))) {
      const out = new Float32Array(frames * 3);
      for (let f = 0; f < frames; f++) {
        for (let k = 0; k < 3; k++) out[f * 3 + k] = joint.offset[k];
        joint.channels.forEach((channel, c) => {
          if (channel.endsWith('position')) out[f * 3 + 'xyz'.indexOf(channel[0])] += at(f, c);
        });
      }
      add('translation', out);
    }
    if (joint.channels.some((channel) => channel.endsWith('rotation'))) {
      const out = new Float32Array(frames * 4);
      for (let f = 0; f < frames; f++) {
        let q: Quat = [0, 0, 0, 1];
        joint.channels.forEach((channel, c) => {
          if (channel.endsWith('rotation'))
            q = quatMultiply(q, quatFromAxis(AXES[channel[0]], (at(f, c) * Math.PI) / 180));
        });
        const turned =
          f > 0 && q[0] * out[f * 4 - 4] + q[1] * out[f * 4 - 3] + q[2] * out[f * 4 - 2] + q[3] * out[f * 4 - 1] < 0;
        out.set(turned ? q.map((x) => -x) : q, f * 4);
      }
      add('rotation', out);
    }
  });
  if (joints.some((joint) => joint.channels.some((channel) => channel.endsWith('scale'))))
    findings.push({ code: 'bvh.scale', severity: 'warning', message: 'Scale channels of the motion were left out.' });
  return frames * step;
}

/** Words of the file one after the other, with the line for messages. */
class Words {
  private readonly scan: NumberScan = { at: 0, value: 0 };
  constructor(
    private readonly bytes: Uint8Array,
    private readonly path: string,
  ) {}

  next(): string {
    const { bytes, scan } = this;
    while (scan.at < bytes.length && isBlank(bytes[scan.at])) scan.at++;
    const from = scan.at;
    if (bytes[from] === 123 || bytes[from] === 125) {
      scan.at++;
      return String.fromCharCode(bytes[from]);
    }
    while (scan.at < bytes.length && !isBlank(bytes[scan.at]) && bytes[scan.at] !== 123 && bytes[scan.at] !== 125)
      scan.at++;
    return new TextDecoder().decode(bytes.subarray(from, Math.min(scan.at, from + 256)));
  }
  /** A name may hold blanks; it ends with its line or a bracket. */
  restOfLine(): string {
    const { bytes, scan } = this;
    const from = scan.at;
    while (scan.at < bytes.length && bytes[scan.at] !== 10 && bytes[scan.at] !== 13 && bytes[scan.at] !== 123)
      scan.at++;
    return new TextDecoder().decode(bytes.subarray(from, Math.min(scan.at, from + 256))).trim();
  }
  expect(word: string): void {
    const found = this.next();
    if (found.toUpperCase() !== word)
      throw this.bad(`“${word}” is missing${found ? ` (“${found}” stands there)` : ''}`);
  }
  number(): number {
    if (!nextNumber(this.bytes, this.bytes.length, this.scan) || !Number.isFinite(this.scan.value))
      throw this.bad('a number is missing');
    return this.scan.value;
  }
  numbers(): Float64Array {
    const out: number[] = [];
    while (nextNumber(this.bytes, this.bytes.length, this.scan)) out.push(this.scan.value);
    return Float64Array.from(out);
  }
  current(joints: readonly BvhJoint[], open: readonly number[]): BvhJoint {
    const i = open.at(-1);
    if (i === undefined) throw this.bad('an offset belongs to no joint');
    return joints[i] as BvhJoint;
  }
  bad(what: string): ProblemError {
    let line = 1;
    for (let i = 0; i < Math.min(this.scan.at, this.bytes.length); i++) if (this.bytes[i] === 10) line++;
    return new ProblemError(
      'bvh.broken',
      `“${this.path}” can't be read as BVH: in line ${line}, ${what}. Export it again.`,
      `line ${line}`,
    );
  }
}
