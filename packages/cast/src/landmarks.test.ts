import {
  createDeformer,
  floatsOf,
  listParts,
  RayTree,
  FINGERS,
  findLandmarks,
  type HumanoidRole,
  isHumanoidRole,
  jointsApart,
  jointRoles,
  type Landmarks,
  landmarksOf,
  poseSkeleton,
  RANGE_OF_MOTION,
  roleIndex,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  skeletonOf,
  stepById,
} from '@dimetra/core';
import { Document } from '@gltf-transform/core';
import { parse } from 'valibot';
import { beforeAll, describe, expect, it } from 'vitest';
import { buildPerson, PEOPLE, type PersonId } from './index.ts';
import { context } from './testing/small-cast.ts';
import { writeFigure } from './write.ts';

type Point = [number, number, number];
type Pose = Parameters<typeof poseSkeleton>[2];
type Turn = Pose['turns'][number];
const far = (a: ArrayLike<number>, b: ArrayLike<number>) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
/** Turns of the left side are mirrored for the right. */
const both = (role: string, axis: Turn['axis'], degrees: number): Turn[] =>
  ['left', 'right'].map((side) => ({ role: `${side}${role}`, axis, degrees }) as Turn);
/** Stances as people are modelled in; they come with arms 45 degrees down. */
const STANCES: readonly Pose[] = [
  { name: 'arms 45 degrees down', turns: [] },
  { name: 'arms out', turns: both('UpperArm', 'z', 45) },
  { name: 'arms at the sides', turns: both('UpperArm', 'z', -32) },
  { name: 'legs apart', turns: both('UpperLeg', 'z', 14) },
  { name: 'head turned', turns: [{ role: 'neck', axis: 'y', degrees: 25 } as Turn] },
  {
    name: 'one arm out and bent, one forward',
    turns: [
      both('UpperArm', 'z', 40)[0],
      { role: 'rightUpperArm', axis: 'y', degrees: -60 } as Turn,
      { role: 'leftLowerArm', axis: 'y', degrees: -35 } as Turn,
    ],
  },
];
const FISTS: Pose = {
  name: 'fists',
  turns: ['Index', 'Middle', 'Ring', 'Little'].flatMap((finger) =>
    ['Proximal', 'Intermediate', 'Distal'].flatMap((bone) => both(`${finger}${bone}`, 'curl', 80)),
  ),
};
/** Whose skeleton the joints are held against: proportions that aren't seen are taken from there. */
const LIKE = Object.fromEntries(
  (SHIPPED_FIGURES.find(({ id }) => id === 'tessel') as (typeof SHIPPED_FIGURES)[number]).joints
    .filter(({ role }) => isHumanoidRole(role))
    .map(({ role, at }) => [role, at]),
);
const LOOSE = new Set(['hair', 'lashes', 'brows', 'tear', 'accessory']),
  WORN = new Set(['garment', 'footwear']);

const people = new Map<PersonId, Document>();
beforeAll(() => {
  // Hands of the small cast are mittens: people of some 40,000 triangles, without maps.
  for (const person of PEOPLE)
    people.set(
      person.id,
      writeFigure(
        buildPerson(person, { coarse: 1.6, expressions: false, progress() {} }),
        new Map(),
        new Map(),
        person.name,
      ),
    );
});

/** A person in a stance, and where the generator's joints went. */
function standing(id: PersonId, pose: Pose, bare = false) {
  const document = people.get(id) as Document,
    deformer = createDeformer(document, ({ role }) => !LOOSE.has(role) && !(bare && WORN.has(role)), false),
    { skeleton } = deformer,
    roles = roleIndex(jointRoles(document, skeleton)),
    posed = poseSkeleton(skeleton, roles, pose),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, posed);
  const joint = (name: string): Point => {
    const j = skeleton.joints.findIndex((one) => one.getName() === name) * 16;
    return [posed[j + 12], posed[j + 13], posed[j + 14]];
  };
  const head = deformer.ranges.find(({ part }) => part.name === 'Head'),
    points = Array.from({ length: head?.vertices ?? 0 }, (_, v) => {
      const from = ((head?.firstVertex ?? 0) + v) * 3;
      return Array.from(positions.subarray(from, from + 3)) as Point;
    });
  const ofRole = (role: HumanoidRole): Point => joint(skeleton.joints[roles.get(role) as number].getName());
  return { positions, indices: deformer.indices, ranges: deformer.ranges, joint, ofRole, head: points };
}
/** What is found of somebody in a stance: looked for once. */
const known = new Map<string, Landmarks>();
function foundOf(id: PersonId, pose: Pose, { positions, indices }: ReturnType<typeof standing>): Landmarks {
  const key = `${id} ${pose.name}`,
    found = known.get(key) ?? findLandmarks(positions, indices, LIKE);
  known.set(key, found);
  return found;
}
const at = ({ landmarks }: Landmarks, name: string): Point | undefined =>
  landmarks.find((one) => one.name === name)?.at as Point | undefined;

describe('landmarks from shape alone', () => {
  it.each(STANCES.map((pose, n) => [pose.name, pose, n] as const))(
    'of people in clothes, %s: tips within 7 mm, wrists within 26, everything on its side',
    (_, pose, n) => {
      const tips: number[] = [],
        thumbs: number[] = [],
        wrists: number[] = [];
      // Everybody in one stance, and one of them in each of the others.
      for (const { id } of n ? [PEOPLE[n % 5]] : PEOPLE) {
        const one = standing(id, pose),
          found = foundOf(id, pose, one);
        expect(found.refused, id).toBeUndefined();
        expect(found.confidence, id).toBeGreaterThan(0.7);
        for (const [side, s] of [
          ['left', 'l'],
          ['right', 'r'],
        ] as const) {
          for (const finger of FINGERS) {
            const tip = at(found, `${side} ${finger} tip`);
            expect(tip, `${id} ${side} ${finger}`).toBeDefined();
            // The last joint of a finger lies in its flesh, some millimetres under the tip.
            (finger === 'thumb' ? thumbs : tips).push(far(tip as Point, one.joint(`${finger}_${s}_end`)));
          }
          wrists.push(far(at(found, `${side} wrist`) as Point, one.joint(`wrist_${s}`)));
          const toe = at(found, `${side} toe`) as Point,
            heel = at(found, `${side} heel`) as Point,
            ankle = one.joint(`foot_${s}`),
            ball = one.joint(`toe_${s}`),
            flat = (a: Point, b: Point) => Math.hypot(a[0] - b[0], a[2] - b[2]),
            cosine =
              ((toe[0] - heel[0]) * (ball[0] - ankle[0]) + (toe[2] - heel[2]) * (ball[2] - ankle[2])) /
              (flat(toe, heel) * flat(ball, ankle));
          // Within twelve degrees of the foot's bone, and around it.
          expect(cosine, `${id} ${side} foot`).toBeGreaterThan(0.978);
          expect(flat(toe, ankle) + flat(heel, ankle)).toBeLessThan(1.2 * flat(toe, heel));
          expect(far(at(found, `${side} eye`) as Point, one.joint(`eye_${s}`)), `${id} ${side} eye`).toBeLessThan(
            0.003,
          );
          const shoulder = one.joint(`arm_${s}`),
            pit = at(found, `${side} armpit`) as Point;
          expect(far(pit, shoulder), `${id} ${side} armpit`).toBeLessThan(0.25);
        }
        if (pose.name !== 'head turned') {
          // Of the head's skin: the foremost place under the eyes, and that of the chin.
          const eyeY = one.joint('eye_l')[1],
            foremost = (from: number, to: number, wide: number): Point => {
              let best: Point = [0, 0, -Infinity];
              for (const p of one.head)
                if (Math.abs(p[0]) < wide && p[1] > eyeY - from && p[1] < eyeY - to && p[2] > best[2]) best = p;
              return best;
            };
          expect(far(at(found, 'nose') as Point, foremost(0.2, 0, 0.02)), `${id} nose`).toBeLessThan(0.008);
          // A heavy chin has no edge.
          expect(far(at(found, 'chin') as Point, foremost(0.14, 0.092, 0.012)), `${id} chin`).toBeLessThan(0.015);
        }
        const thigh = one.joint('thigh_l'),
          crotch = at(found, 'crotch') as Point;
        expect(crotch[1]).toBeLessThan(thigh[1]);
      }
      for (const list of [tips, thumbs, wrists]) list.sort((a, b) => a - b);
      expect(tips[tips.length >> 1]).toBeLessThan(0.007);
      expect(tips[tips.length - 1]).toBeLessThan(0.0095);
      expect(thumbs[thumbs.length - 1]).toBeLessThan(0.011);
      // Sleeves hide where the forearm is thinnest.
      expect(wrists[wrists.length >> 1]).toBeLessThan(n ? 0.045 : 0.026);
    },
  );
  it('of a bare body lie where they lie in clothes, but for what shoes and trousers hide', () => {
    for (const id of ['rescue-swimmer', 'crane-operator'] as const) {
      const { positions, indices } = standing(id, STANCES[0], true),
        bare = findLandmarks(positions, indices),
        dressed = foundOf(id, STANCES[0], standing(id, STANCES[0]));
      expect(bare.refused, id).toBeUndefined();
      for (const { name } of dressed.landmarks) {
        const off = far(at(bare, name) as Point, at(dressed, name) as Point);
        // A thumb of so few triangles ends in vertices a centimetre apart.
        if (/thumb tip/.test(name)) expect(off, `${id} ${name}`).toBeLessThan(0.011);
        else if (/ tip|eye|nose|chin|crown/.test(name)) expect(off, `${id} ${name}`).toBeLessThan(0.004);
        else if (/wrist/.test(name)) expect(off, `${id} ${name}`).toBeLessThan(0.03);
      }
      // Nothing hangs between bare legs.
      expect((at(bare, 'crotch') as Point)[1]).toBeGreaterThan((at(dressed, 'crotch') as Point)[1] + 0.02);
    }
  });
  it('put joints at their centres: median under 10 mm, nine of ten under 25, by seven stances and five builds', () => {
    const off: { role: string; stance: string; mm: number }[] = [];
    [...STANCES, FISTS].forEach((pose, n) => {
      for (const { id } of n ? [PEOPLE[n % 5], PEOPLE[(n + 2) % 5]] : PEOPLE) {
        const one = standing(id, pose),
          { joints, refused } = foundOf(id, pose, one);
        expect(refused, `${id} ${pose.name}`).toBeUndefined();
        for (const { role, at: place, how } of joints) {
          off.push({ role, stance: pose.name, mm: 1000 * far(place, one.ofRole(role)) });
          if (/Thumb|Index|Middle|Ring|Little/.test(role))
            expect(how, `${id} ${pose.name} ${role}`).toBe(pose === FISTS ? 'proportion' : 'finger');
        }
        // Bent as it is, its own elbow is seen.
        if (pose.name.includes('bent'))
          expect(joints.find(({ role }) => role === 'leftLowerArm')?.how, `${id} elbow`).toBe('bend');
      }
    });
    const share = (list: readonly { mm: number }[], t: number) =>
      list.map(({ mm }) => mm).sort((a, b) => a - b)[Math.floor(t * list.length)];
    expect(share(off, 0.5)).toBeLessThan(10);
    expect(share(off, 0.9)).toBeLessThan(25);
    expect(Math.max(...off.map(({ mm }) => mm))).toBeLessThan(60);
    for (const [part, median, most] of [
      [/Eye|jaw|^head/, 3, 10],
      [/LowerLeg|Foot/, 10, 25],
      [/UpperLeg|hips/, 20, 35],
      [/UpperArm|neck/, 16, 32],
      [/LowerArm/, 14, 50],
      [/Hand/, 20, 38],
    ] as const) {
      const list = off.filter(({ role }) => part.test(role));
      expect(share(list, 0.5), `${part}`).toBeLessThan(median);
      expect(Math.max(...list.map(({ mm }) => mm)), `${part}`).toBeLessThan(most);
    }
    // Five fingers that stand free are followed to the palm.
    const fingers = off.filter(
      ({ role, stance }) => /Thumb|Index|Middle|Ring|Little/.test(role) && stance !== FISTS.name,
    );
    expect(share(fingers, 0.5)).toBeLessThan(9);
    expect(share(fingers, 0.9)).toBeLessThan(18);
  });
  it('say of a fist that its fingers were not found, and of nothing else', () => {
    const one = standing('harbour-pilot', FISTS),
      found = foundOf('harbour-pilot', FISTS, one),
      open = foundOf('harbour-pilot', STANCES[0], standing('harbour-pilot', STANCES[0]));
    expect(found.refused).toBeUndefined();
    const names = ({ landmarks }: Landmarks) => landmarks.map(({ name }) => name);
    expect(
      names(open)
        .filter((name) => !names(found).includes(name))
        .every((name) => / (tip|root)$/.test(name)),
    ).toBe(true);
    expect(names(found)).toContain('left wrist');
  });
  it('are the same from a document, and where it is twice as fine', () => {
    const found = landmarksOf(people.get('deckhand') as Document),
      one = standing('deckhand', STANCES[0]);
    expect(found).toEqual(findLandmarks(one.positions, one.indices));
  });
});

describe('a skeleton for a body without one', () => {
  const target = SHIPPED_TARGETS.find(({ id }) => id === 'headset-deck') as (typeof SHIPPED_TARGETS)[number];
  /** The person as a mesh alone, as sculptors send one: triangles by part, no joints, no weights. */
  function statue(id: PersonId, pose: Pose): Document {
    const own = people.get(id) as Document,
      deformer = createDeformer(own, () => true, false),
      { skeleton } = deformer,
      posed = poseSkeleton(skeleton, roleIndex(jointRoles(own, skeleton)), pose),
      positions = deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, posed),
      document = new Document(),
      buffer = document.createBuffer(),
      scene = document.createScene();
    for (const { part, firstVertex, vertices } of deformer.ranges) {
      const material = document.createMaterial(part.material?.getName()),
        prim = document
          .createPrimitive()
          .setMaterial(material)
          .setAttribute(
            'POSITION',
            document
              .createAccessor()
              .setType('VEC3')
              .setArray(positions.slice(firstVertex * 3, (firstVertex + vertices) * 3))
              .setBuffer(buffer),
          )
          .setIndices(
            document
              .createAccessor()
              .setArray(Uint32Array.from(part.prim.getIndices()?.getArray() ?? []))
              .setBuffer(buffer),
          );
      scene.addChild(document.createNode(part.name).setMesh(document.createMesh(part.name).addPrimitive(prim)));
    }
    return document;
  }
  const step = (id: string) => stepById(id) as NonNullable<ReturnType<typeof stepById>>;
  async function run(document: Document, id: string, settings: Record<string, unknown> = {}) {
    const given = parse(step(id).settings, settings) as never;
    expect(step(id).applies(document, target, given), id).toBe(true);
    return step(id).run(document, given, target, context);
  }
  it.each([
    ['harbour-pilot', STANCES[1]],
    ['crane-operator', STANCES[0]],
  ] as const)(
    '%s is given one, bound to it, and moves as with their own: within 9 mm over the range of motion',
    async (id, pose) => {
      const document = statue(id, pose),
        given = await run(document, 'fit.skeleton', { figure: 'tessel' });
      expect(given.findings.map(({ code }) => code)).toEqual(['fit.assumed']);
      // It lies in the mesh as it is: neither scaled nor turned.
      const before = jointsApart(document).map((node) => node.getWorldTranslation());
      const bound = await run(document, 'weights.bind');
      expect(bound.findings).toEqual([]);
      expect(skeletonOf(document).joints.map((node) => node.getWorldTranslation())).toEqual(before);
      const tessel = SHIPPED_FIGURES.find((figure) => figure.id === 'tessel') as (typeof SHIPPED_FIGURES)[number];
      expect(
        skeletonOf(document)
          .joints.map((node) => node.getName())
          .sort(),
      ).toEqual(tessel.joints.map(({ name }) => name).sort());
      const own = createDeformer(people.get(id) as Document, () => true, false),
        ownRoles = roleIndex(jointRoles(people.get(id) as Document, own.skeleton)),
        stood = { ...own.skeleton, global: poseSkeleton(own.skeleton, ownRoles, pose) },
        now = createDeformer(document, () => true, false),
        nowRoles = roleIndex(jointRoles(document, now.skeleton)),
        a = new Float32Array(own.vertices * 3),
        b = new Float32Array(now.vertices * 3);
      expect(b.length).toBe(a.length);
      let sum = 0;
      for (const moved of RANGE_OF_MOTION) {
        own.evaluate(a, {}, poseSkeleton(stood, ownRoles, moved));
        now.evaluate(b, {}, poseSkeleton(now.skeleton, nowRoles, moved));
        for (let i = 0; i < a.length; i++) sum += (a[i] - b[i]) ** 2;
      }
      const rms = 1000 * Math.sqrt((3 * sum) / (RANGE_OF_MOTION.length * a.length));
      expect(rms).toBeLessThan(9);
      // At rest nothing moved.
      own.evaluate(a, {}, stood.global);
      now.evaluate(b);
      expect(a.every((x, i) => Math.abs(x - b[i]) < 1e-5)).toBe(true);
    },
  );
  it('has a joint where somebody put it, and says what it took by proportion; fists too', async () => {
    const document = statue('harbour-pilot', FISTS),
      { findings, measures } = await run(document, 'fit.skeleton', {
        figure: 'corvane',
        moved: { leftLowerArm: [0.4, 1.2, -0.03] },
      }),
      of = (code: string) => findings.find((finding) => finding.code === code)?.message ?? '';
    expect(of('fit.hands')).toMatch(/on the hands/);
    expect(of('fit.assumed')).not.toMatch(/elbow left|left elbow/i);
    expect(of('fit.assumed')).toMatch(/right elbow/);
    expect(measures.find(({ name }) => name === 'joints by proportion')?.result).toBe(33);
    const corvane = SHIPPED_FIGURES.find((figure) => figure.id === 'corvane') as (typeof SHIPPED_FIGURES)[number],
      name = corvane.joints.find(({ role }) => role === 'leftLowerArm')?.name,
      elbow = jointsApart(document).find((node) => node.getName() === name);
    expect(far(elbow?.getWorldTranslation() ?? [], [0.4, 1.2, -0.03])).toBeLessThan(1e-6);
  });
  it('is not given to what is no person: a sentence, and nothing changed', async () => {
    const document = statue('harbour-pilot', STANCES[0]);
    for (const node of document.getRoot().listNodes())
      if (/Body|Trousers|Jacket|Boots|Vest|Hands/.test(node.getName())) node.dispose();
    const before = document.getRoot().listNodes().length,
      { findings, measures } = await run(document, 'fit.skeleton');
    expect(findings).toMatchObject([{ code: 'fit.no-person', severity: 'error' }]);
    expect(findings[0].message).toMatch(/^No skeleton was put in: .+\. Leave out what isn't part/);
    expect([measures, document.getRoot().listNodes().length, jointsApart(document)]).toEqual([[], before, []]);
  });
  it('is left to a donor of weights where one is named, and to whoever has one', () => {
    const { givesWay, applies } = step('fit.skeleton'),
      settings = (donor: string | null) => (id: string) => (id === 'weights.transfer' ? { donor } : {});
    expect([givesWay?.(settings('pilot')), givesWay?.(settings(null))]).toEqual([true, false]);
    expect(applies(people.get('deckhand') as Document, target)).toBe(false);
    expect(applies(new Document(), target)).toBe(false);
  });
});

describe('what is not one standing person', () => {
  const person = () => standing('harbour-pilot', STANCES[0]);
  const moved = (positions: Float32Array, by: (p: Point) => Point): Float32Array =>
    Float32Array.from(
      Array.from({ length: positions.length / 3 }, (_, v) =>
        by(Array.from(positions.subarray(v * 3, v * 3 + 3)) as Point),
      ).flat(),
    );
  const without = ({ positions, indices }: ReturnType<typeof person>, gone: (p: Point) => boolean) =>
    Uint32Array.from(
      Array.from(indices).filter((_, i) => {
        const t = i - (i % 3);
        return ![0, 1, 2].every((k) =>
          gone(Array.from(positions.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3)) as Point),
        );
      }),
    );
  const boxes = (list: readonly [Point, Point][]) => {
    const positions: number[] = [],
      indices: number[] = [];
    for (const [a, b] of list) {
      const first = positions.length / 3;
      for (let i = 0; i < 8; i++) positions.push(i & 1 ? b[0] : a[0], i & 2 ? b[1] : a[1], i & 4 ? b[2] : a[2]);
      for (const [p, q, r, s] of [
        [0, 2, 3, 1],
        [4, 5, 7, 6],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 4, 6, 2],
        [1, 3, 7, 5],
      ])
        indices.push(first + p, first + q, first + r, first + p, first + r, first + s);
    }
    return [Float32Array.from(positions), Uint32Array.from(indices)] as const;
  };
  it.each([
    ['nothing', () => [new Float32Array(0), new Uint32Array(0)] as const, /no surface/],
    [
      'a crate',
      () =>
        boxes([
          [
            [-0.4, 0, -0.4],
            [0.4, 1.2, 0.4],
          ],
        ]),
      /Two legs/,
    ],
    [
      'a quadruped',
      () =>
        boxes([
          [
            [-0.18, 0.6, -0.7],
            [0.18, 1, 0.7],
          ],
          [
            [-0.15, 1, 0.6],
            [0.15, 1.5, 0.9],
          ],
          ...[-0.15, 0.15].flatMap((x) =>
            [-0.6, 0.6].map(
              (z) =>
                [
                  [x - 0.06, 0, z - 0.06],
                  [x + 0.06, 0.7, z + 0.06],
                ] as [Point, Point],
            ),
          ),
        ]),
      /limbs or more|wider or deeper|trunk|legs/,
    ],
    [
      'two people',
      () => {
        const { positions, indices } = person(),
          n = positions.length / 3;
        return [
          Float32Array.from([...positions, ...moved(positions, ([x, y, z]) => [x + 1.1, y, z])]),
          Uint32Array.from([...indices, ...indices.map((v) => v + n)]),
        ] as const;
      },
      /hang together|limbs|wider/,
    ],
    [
      'someone who faces backwards',
      () => {
        const { positions, indices } = person();
        return [moved(positions, ([x, y, z]) => [-x, y, -z]), indices] as const;
      },
      /toes point backwards/,
    ],
    [
      'someone on their head',
      () => {
        const { positions, indices } = person();
        return [moved(positions, ([x, y, z]) => [x, 1.8 - y, -z]), indices] as const;
      },
      /./,
    ],
    [
      'someone whose left arm is missing',
      () => {
        const one = person();
        return [one.positions, without(one, ([x]) => x > 0.21)] as const;
      },
      /left arm/,
    ],
    [
      'someone without a leg',
      () => {
        const one = person();
        return [one.positions, without(one, ([x, y]) => x > 0.005 && y < 0.75)] as const;
      },
      /legs/,
    ],
  ] as const)('%s is refused, with a sentence', (_, make, sentence) => {
    const [positions, indices] = make(),
      { refused, landmarks, confidence } = findLandmarks(positions, indices);
    expect(refused).toMatch(sentence);
    expect(confidence).toBeLessThan(0.35);
    expect(landmarks.length === 0 || confidence > 0).toBe(true);
  });
});

describe('eyes, mouth and ears', () => {
  type One = ReturnType<typeof standing>;
  const inside = (u: number, v: number, rects: readonly (readonly [number, number, number, number])[]) =>
    rects.some(([x, y, w, h]) => u >= x && u <= x + w && v >= y && v <= y + h);
  /** Vertices of the head that have their texture places in some rectangles: so the generator lays out ears, and the bag behind the lips. */
  function laidOutIn(id: PersonId, rects: Parameters<typeof inside>[2]): { at: number[]; not: number[] } {
    const part = listParts(people.get(id) as Document).find(({ name }) => name === 'Head'),
      accessor = part?.prim.getAttribute('TEXCOORD_0'),
      uv = accessor ? floatsOf(accessor) : new Float32Array(0),
      out = { at: [] as number[], not: [] as number[] };
    for (let v = 0; v < uv.length / 2; v++)
      (inside(uv[v * 2] - Math.floor(uv[v * 2]), uv[v * 2 + 1] - Math.floor(uv[v * 2 + 1]), rects)
        ? out.at
        : out.not
      ).push(v);
    return out;
  }
  /** Places from which an eyeball is the first thing that a ray from in front meets: their outermost on either side of an eye. */
  function cornersSeen({ positions, indices, ranges, ofRole }: One, side: 'left' | 'right'): [Point, Point] {
    const tree = new RayTree(positions, indices),
      eye = ofRole(`${side}Eye`),
      balls = ranges.filter(({ part }) => part.name === 'Eyes' || part.name === 'Corneas'),
      seen: Point[] = [];
    for (let x = eye[0] - 0.025; x < eye[0] + 0.025; x += 0.0004)
      for (let y = eye[1] - 0.012; y < eye[1] + 0.012; y += 0.0008) {
        if (!tree.ray(x, y, 1, 0, 0, -1, 2)) continue;
        const t = tree.met.triangle;
        if (balls.some(({ firstTriangle, triangles }) => t >= firstTriangle && t < firstTriangle + triangles))
          seen.push([x, y, 1 - tree.met.distance]);
      }
    return seen.reduce<[Point, Point]>(
      ([low, high], p) => [p[0] < low[0] ? p : low, p[0] > high[0] ? p : high],
      [seen[0], seen[0]],
    );
  }
  const TESSEL = PEOPLE.filter(({ figure }) => figure === 'Tessel');

  it('corners of eyes are where the lids’ opening ends, within 4 mm', () => {
    const off: number[] = [];
    for (const { id } of PEOPLE) {
      const one = standing(id, STANCES[0]),
        found = foundOf(id, STANCES[0], one);
      for (const side of ['left', 'right'] as const) {
        const [low, high] = cornersSeen(one, side),
          [inner, outer] = side === 'left' ? [low, high] : [high, low];
        off.push(far(at(found, `${side} eye inner corner`) as Point, inner));
        off.push(far(at(found, `${side} eye outer corner`) as Point, outer));
      }
    }
    expect(off).toHaveLength(PEOPLE.length * 4);
    expect(Math.max(...off)).toBeLessThan(0.004);
    expect(off.sort((a, b) => a - b)[off.length >> 1]).toBeLessThan(0.003);
  });
  it('corners of mouths are where the lips’ line ends, within 6 mm', () => {
    const off: number[] = [];
    for (const { id } of TESSEL) {
      const one = standing(id, STANCES[0]),
        found = foundOf(id, STANCES[0], one),
        bag = laidOutIn(id, [
          [0.6, 0.84, 0.19, 0.15],
          [0.8, 0.84, 0.19, 0.15],
        ]),
        key = (v: number) => one.head[v].map((x) => x.toFixed(6)).join(),
        skin = new Set(bag.not.map(key)),
        line = bag.at.filter((v) => skin.has(key(v))).map((v) => one.head[v]);
      expect(line.length).toBeGreaterThan(20);
      const ends = [
        line.reduce((best, p) => (p[0] > best[0] ? p : best)),
        line.reduce((best, p) => (p[0] < best[0] ? p : best)),
      ];
      off.push(far(at(found, 'left mouth corner') as Point, ends[0]));
      off.push(far(at(found, 'right mouth corner') as Point, ends[1]));
    }
    expect(Math.max(...off)).toBeLessThan(0.006);
  });
  it('ears are where they stand off farthest, within 3 mm, under a beanie too', () => {
    const off: number[] = [];
    for (const { id } of TESSEL) {
      const one = standing(id, STANCES[0]),
        found = foundOf(id, STANCES[0], one),
        ears = laidOutIn(id, [
          [0.01, 0.84, 0.285, 0.15],
          [0.3, 0.84, 0.285, 0.15],
        ]).at.map((v) => one.head[v]);
      expect(ears.length).toBeGreaterThan(200);
      for (const [side, s] of [
        ['left', 1],
        ['right', -1],
      ] as const) {
        const truth = ears.reduce((best, p) => (s * p[0] > s * best[0] ? p : best)),
          ear = at(found, `${side} ear`);
        off.push(far(ear as Point, truth));
      }
    }
    expect(Math.max(...off)).toBeLessThan(0.003);
  });
});
