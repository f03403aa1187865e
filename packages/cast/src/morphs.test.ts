import type { Document } from '@gltf-transform/core';
import { BufferAttribute, BufferGeometry, Triangle, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { describe, expect, it } from 'vitest';
import {
  copyDocument,
  defaultRecipe,
  floatsOf,
  jointPosition,
  listMorphNames,
  listParts,
  mirrorPairs,
  runRecipe,
  SHIPPED_TARGETS,
  skeletonOf,
  type Recipe,
  STEPS,
  type StepSettings,
  summarise,
} from '@dimetra/core';
import { context, useSmallCast } from './testing/small-cast.ts';
import type { PersonId } from './index.ts';

const cast = useSmallCast();
const documentOf = (id: PersonId) => cast(id).read.document;

/** A character after the steps of the Morphs station alone. */
async function after(
  id: PersonId | Document,
  settings: { [K in keyof StepSettings]?: StepSettings[K] },
): Promise<Document> {
  const recipe: Recipe = {
    schema: 1,
    steps: STEPS.map(({ id: step, station }) => ({
      id: step,
      enabled: station === 'morphs',
      settings: (settings as Record<string, object>)[step] ?? {},
    })) as Recipe['steps'],
  };
  const run = await runRecipe(
    { document: async () => (typeof id === 'string' ? documentOf(id) : id) },
    SHIPPED_TARGETS[0],
    recipe,
    { context },
  );
  return run.document();
}

/** A character upright and in metres, as the station has it. */
async function stoodUp(id: PersonId): Promise<Document> {
  const recipe = defaultRecipe(),
    steps = recipe.steps.map((step) => ({ ...step, enabled: step.id === 'intake.stand' }));
  const run = await runRecipe(
    { document: async () => documentOf(id) },
    SHIPPED_TARGETS[0],
    { ...recipe, steps },
    { context },
  );
  return run.document();
}

/** Movements by part and morph, read without our code for morphs. */
function movements(document: Document): Map<string, Float32Array> {
  const out = new Map<string, Float32Array>();
  for (const { id, prim, mesh } of listParts(document)) {
    const names = mesh.getExtras().targetNames as string[];
    prim
      .listTargets()
      .forEach((target, i) => out.set(`${id}/${names[i]}`, floatsOf(target.getAttribute('POSITION') as never)));
  }
  return out;
}
const places = (document: Document) =>
  new Map(listParts(document).map(({ id, prim }) => [id, floatsOf(prim.getAttribute('POSITION') as never)]));

describe('what a morph is and where it moves the body', () => {
  const said = (id: PersonId) => new Map(summarise(documentOf(id), 'Somebody').morphs?.map((row) => [row.name, row]));
  const WANTED: Record<string, [kind: string, group: string]> = {
    blink_l: ['expression', 'eyes'],
    smile: ['expression', 'mouth'],
    brow_up: ['expression', 'brow'],
    cheek_puff: ['expression', 'cheeks'],
    sneer_l: ['expression', 'nose'],
    gaze_left: ['expression', 'eyes'],
    say_mm: ['viseme', 'mouth'],
    say_oo: ['viseme', 'mouth'],
    lips_thin: ['identity', 'mouth'],
    nose_broad: ['identity', 'nose'],
    brow_heavy: ['identity', 'brow'],
    face_narrow: ['identity', 'face'],
    build_tall: ['build', 'whole'],
    elbow_bent_l: ['corrective', 'arms'],
    knee_bent_r: ['corrective', 'legs'],
  };
  it.each<PersonId>(['harbour-pilot', 'rescue-swimmer'])('of the %s, as they arrive', (id) => {
    const rows = said(id);
    expect(rows.size).toBe(71);
    expect(
      Object.fromEntries(Object.keys(WANTED).map((name) => [name, [rows.get(name)?.kind, rows.get(name)?.group]])),
    ).toEqual(WANTED);
    // Millimetres, whatever unit they came in: 4 % of the height, as the build is made.
    expect(rows.get('build_tall')?.maxMm).toBeGreaterThan(65);
    expect(rows.get('build_tall')?.maxMm).toBeLessThan(80);
  });
  it('says which move joints: a build does, a face doesn’t', () => {
    const rows = said('harbour-pilot');
    expect(rows.get('build_tall')?.movesJoints.length).toBeGreaterThan(40);
    expect(rows.get('build_tall')?.movesJoints.slice(0, 2).sort()).toEqual(['eye_l', 'eye_r']);
    for (const name of ['blink', 'smile', 'jaw_open', 'say_aa', 'gaze_left', 'nose_long'])
      expect(rows.get(name)?.movesJoints, name).toEqual([]);
  });
});

describe('a mix folded into the shape at rest', () => {
  const mixed = () => listMorphNames(documentOf('harbour-pilot')).filter((_, i) => i % 7 < 3 && i < 69);
  it('of thirty of seventy-one morphs leaves every other one exact at every vertex', async () => {
    const source = documentOf('harbour-pilot'),
      fold = Object.fromEntries(mixed().map((name, i) => [name, ((i * 7) % 11) / 10 - 0.35]));
    expect(Object.keys(fold)).toHaveLength(30);
    const folded = await after('harbour-pilot', { 'morphs.fold': { fold } }),
      was = movements(source),
      now = movements(folded),
      before = places(source),
      stay = listMorphNames(source).filter((name) => !(name in fold));
    expect(listMorphNames(folded)).toEqual(stay);
    let worst = 0;
    for (const [id, place] of places(folded)) {
      const rest = before.get(id) as Float32Array,
        mix = new Float64Array(rest.length);
      for (const [name, weight] of Object.entries(fold))
        was.get(`${id}/${name}`)?.forEach((d, k) => {
          mix[k] += d * weight;
        });
      for (const name of stay) {
        const then = was.get(`${id}/${name}`),
          delta = now.get(`${id}/${name}`);
        for (let k = 0; k < rest.length; k++)
          worst = Math.max(worst, Math.abs(rest[k] + mix[k] + (then?.[k] ?? 0) - (place[k] + (delta?.[k] ?? 0))));
      }
    }
    // Metres: a thousandth of a millimetre.
    expect(worst).toBeLessThan(1e-6);
  });
  it.each<PersonId>(['harbour-pilot', 'deckhand', 'crane-operator'])(
    'takes the joints of the %s along to where the grown figure has them',
    async (id) => {
      const truth = cast(id).arrival.truth.morphJoints?.build_tall ?? {},
        grown = await after(id, { 'morphs.fold': { fold: { build_tall: 1 } } }),
        skeleton = skeletonOf(grown),
        off = skeleton.joints.map((joint, i) => {
          const wanted = truth[joint.getName()],
            [x, y, z] = jointPosition(skeleton, i);
          return wanted ? Math.hypot(x - wanted[0], y - wanted[1], z - wanted[2]) * 1000 : 0;
        });
      expect(Object.keys(truth).length).toBeGreaterThan(50);
      expect(Math.max(...off)).toBeLessThan(2);
      // Had none moved, the eyes would be off by seven centimetres.
      const stayed = skeletonOf(documentOf(id)),
        far = stayed.joints.map((joint, i) => {
          const wanted = truth[joint.getName()];
          return wanted ? Math.abs(jointPosition(stayed, i)[1] - wanted[1]) : 0;
        });
      expect(Math.max(...far)).toBeGreaterThan(0.05);
    },
  );
  it('moves nothing at rest by letting joints follow: mesh and binds agree', async () => {
    const plain = await after('deckhand', { 'morphs.fold': { fold: { build_tall: 1 }, joints: false } }),
      follows = await after('deckhand', { 'morphs.fold': { fold: { build_tall: 1 } } });
    const [a, b] = [plain, follows].map(skinned);
    expect(Math.max(...a.map((x, k) => Math.abs(x - b[k])))).toBeLessThan(1e-5);
  });
});

/** Linear blend skinning of every vertex at rest, written out from the standard (glTF 2.0 §3.7.3). */
function skinned(document: Document): number[] {
  const out: number[] = [];
  for (const { node, prim } of listParts(document)) {
    const skin = node.getSkin();
    if (!skin) continue;
    const binds = skin.getInverseBindMatrices()?.getArray() as Float32Array,
      joints = prim.getAttribute('JOINTS_0')?.getArray() as Uint8Array,
      weights = prim.getAttribute('WEIGHTS_0')?.getArray() as Float32Array,
      world = skin.listJoints().map((joint) => joint.getWorldMatrix()),
      p = floatsOf(prim.getAttribute('POSITION') as never);
    for (let v = 0; v < p.length / 3; v += 37)
      for (let r = 0; r < 3; r++) {
        let sum = 0;
        for (let s = 0; s < 4; s++) {
          const j = joints[v * 4 + s],
            bound = [0, 1, 2].map(
              (k) =>
                binds[j * 16 + k] * p[v * 3] +
                binds[j * 16 + 4 + k] * p[v * 3 + 1] +
                binds[j * 16 + 8 + k] * p[v * 3 + 2] +
                binds[j * 16 + 12 + k],
            ),
            m = world[j];
          sum += weights[v * 4 + s] * (m[r] * bound[0] + m[4 + r] * bound[1] + m[8 + r] * bound[2] + m[12 + r]);
        }
        out.push(sum);
      }
  }
  return out;
}

describe('both sides of a face', () => {
  it('are split into halves that add up to the whole to the last bit', async () => {
    const split = await after('harbour-pilot', {
        'morphs.drop': { names: [] },
        'morphs.split': { names: ['surprise'] },
      }),
      names = listMorphNames(split);
    expect(names).toContain('surprise_l');
    expect(names).not.toContain('surprise');
    const now = movements(split);
    for (const [key, whole] of movements(documentOf('harbour-pilot'))) {
      if (!key.endsWith('/surprise')) continue;
      const [left, right] = ['l', 'r'].map((side) => now.get(`${key}_${side}`) as Float32Array);
      expect(left.every((x, k) => Math.fround(x + right[k]) === whole[k])).toBe(true);
    }
  });
  it('give each other’s counterpart: the mirrored left half is the right half of the cast, mirrored twice it is itself', async () => {
    const id = 'harbour-pilot',
      own = movements(documentOf(id)),
      pairs = mirrorPairs(documentOf(id)),
      head = pairs.sheets.find(({ part }) => part.id === 'Head') as (typeof pairs.sheets)[number],
      once = movements(await after(id, { 'morphs.mirror': { flip: ['blink_l', 'smile_l'] } })),
      twice = movements(
        copyDocument(await after(id, { 'morphs.mirror': { flip: ['blink_l', 'smile_l', 'blink_r', 'smile_r'] } })),
      );
    for (const name of ['blink', 'smile']) {
      const was = own.get(`Head/${name}_r`) as Float32Array,
        made = once.get(`Head/${name}_r`) as Float32Array,
        most = Math.max(...was.map(Math.abs));
      let squares = 0;
      was.forEach((x, k) => {
        squares += (x - made[k]) ** 2;
      });
      // The pilot's face is crooked by up to three millimetres, so that the halves are not quite each other's image.
      expect(Math.sqrt(squares / (was.length / 3)), name).toBeLessThan(0.05 * most);
      const left = own.get(`Head/${name}_l`) as Float32Array,
        again = twice.get(`Head/${name}_l`) as Float32Array;
      let off = 0;
      left.forEach((x, k) => {
        if (pairs.paired[head.first + Math.floor(k / 3)]) off = Math.max(off, Math.abs(x - again[k]));
      });
      expect(off, name).toBeLessThan(1e-6);
    }
  });
});

/** Vertices of a part that lie under the skin with a morph in full, and the deepest, metres; found by another library's tree. */
function under(document: Document, worn: string, morph: string | null): { count: number; deepest: number } {
  const skins = listParts(document).filter(({ kind }) => kind === 'skin'),
    shape = ({ prim, mesh }: ReturnType<typeof listParts>[number]) => {
      const place = Float32Array.from(floatsOf(prim.getAttribute('POSITION') as never)),
        names = (mesh.getExtras().targetNames as string[] | undefined) ?? [],
        at = morph === null ? -1 : names.indexOf(morph);
      if (at >= 0)
        floatsOf(prim.listTargets()[at].getAttribute('POSITION') as never).forEach((d, k) => {
          place[k] += d;
        });
      return place;
    };
  const out = { count: 0, deepest: 0 },
    at = new Vector3(),
    face = new Triangle(),
    normal = new Vector3(),
    trees = skins.map((part) => {
      const geometry = new BufferGeometry()
        .setAttribute('position', new BufferAttribute(shape(part), 3))
        .setIndex([...(part.prim.getIndices()?.getArray() ?? [])]);
      return { geometry, tree: new MeshBVH(geometry) };
    }),
    part = listParts(document).find(({ id }) => id === worn),
    place = part ? shape(part) : new Float32Array(0);
  for (let v = 0; v < place.length; v += 3) {
    at.fromArray(place, v);
    const best = trees
      .map(({ geometry, tree }) => ({ geometry, tree, hit: tree.closestPointToPoint(at) }))
      .sort((a, b) => (a.hit?.distance ?? Infinity) - (b.hit?.distance ?? Infinity))[0];
    const { hit } = best;
    if (!hit) continue;
    // The tree puts indices in an order of its own.
    face.setFromAttributeAndIndices(
      best.geometry.getAttribute('position') as BufferAttribute,
      ...([0, 1, 2].map((k) => best.geometry.getIndex()?.getX(hit.faceIndex * 3 + k) ?? 0) as [number, number, number]),
    );
    face.getNormal(normal);
    const depth = -at.sub(hit.point).dot(normal);
    if (depth > 5e-4) {
      out.count++;
      out.deepest = Math.max(out.deepest, depth);
    }
  }
  return out;
}

describe('what is worn goes along', () => {
  /** The swimmer upright and in metres, the morph taken away from all that is no skin. */
  const bare = async (morph: string): Promise<Document> => {
    const stood = copyDocument(await stoodUp('rescue-swimmer'));
    for (const { prim, mesh, kind } of listParts(stood)) {
      const at = (mesh.getExtras().targetNames as string[]).indexOf(morph),
        target = prim.listTargets()[at];
      if (kind === 'skin' || !target) continue;
      const none = new Float32Array((target.getAttribute('POSITION')?.getCount() ?? 0) * 3);
      target.setAttribute('POSITION', stood.createAccessor().setType('VEC3').setArray(none));
    }
    return stood;
  };
  it('a suit over a heavier body lies no deeper in the skin than before, as the cast’s own suit does', async () => {
    const without = await bare('build_heavy'),
      suit = listParts(without).find(({ name }) => /suit/i.test(name))?.id as string,
      before = under(without, suit, null),
      left = under(without, suit, 'build_heavy');
    expect(left.count).toBeGreaterThan(2 * before.count);
    const carried = await after(without, { 'morphs.carry': { names: ['build_heavy'] } }),
      now = under(carried, suit, 'build_heavy');
    expect(now.count).toBeLessThanOrEqual(before.count);
    expect(now.deepest).toBeLessThanOrEqual(before.deepest + 5e-4);
    const own = movements(await stoodUp('rescue-swimmer')).get(`${suit}/build_heavy`) as Float32Array,
      made = movements(carried).get(`${suit}/build_heavy`) as Float32Array,
      squares = own.reduce((sum, x, k) => sum + (x - made[k]) ** 2, 0) / (own.length / 3);
    // Of a movement of 33 mm; how the cast's suit is blown up is its own affair.
    expect(Math.sqrt(squares)).toBeLessThan(0.006);
  });
  it('lashes go where the skin below them goes; what has a movement of its own keeps it', async () => {
    const without = await bare('blink'),
      carried = await after(without, { 'morphs.carry': { names: ['blink'] } }),
      own = movements(await stoodUp('rescue-swimmer')),
      now = movements(carried);
    const lashes = listParts(carried).find(({ kind }) => kind === 'lash')?.id as string,
      a = own.get(`${lashes}/blink`) as Float32Array,
      b = now.get(`${lashes}/blink`) as Float32Array,
      off = Math.sqrt(a.reduce((sum, x, k) => sum + (x - b[k]) ** 2, 0) / (a.length / 3)),
      size = Math.sqrt(a.reduce((sum, x) => sum + x * x, 0) / (a.length / 3));
    expect(size).toBeGreaterThan(0.0015);
    // They swing with the lid, as the cast's own do.
    expect(off).toBeLessThan(0.28 * size);
    const untouched = await after('harbour-pilot', { 'morphs.carry': { names: ['build_heavy'] } }),
      was = movements(documentOf('harbour-pilot'));
    for (const [key, delta] of movements(untouched)) {
      const then = was.get(key);
      if (then?.some(Boolean))
        expect(
          delta.every((x, k) => x === then[k]),
          key,
        ).toBe(true);
    }
  });
});
