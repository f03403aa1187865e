import { Bone, BufferAttribute, BufferGeometry, Group, Mesh, Skeleton, SkinnedMesh, Vector3 } from 'three';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { describe, expect, it } from 'vitest';
import { hangOn, joinLevels, levelAt, LevelSwitch, LevelView, surfacesOf, trianglesOf } from './levels.ts';
import { levelsHeld } from './levels-held.ts';
import { meshesIn } from './soles.ts';

/** A triangle fan of so many triangles. */
function fan(triangles: number): BufferGeometry {
  const geometry = new BufferGeometry(),
    corners = triangles + 2;
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(corners * 3).map(Math.sin), 3));
  geometry.setAttribute('skinIndex', new BufferAttribute(new Uint16Array(corners * 4), 4));
  geometry.setAttribute(
    'skinWeight',
    new BufferAttribute(
      new Float32Array(corners * 4).map((_, i) => Number(i % 4 === 0)),
      4,
    ),
  );
  geometry.setIndex(Array.from({ length: triangles }, (_, t) => [0, t + 1, t + 2]).flat());
  return geometry;
}
/** A file's scene: a bone with a coat on it by weights, and a badge that hangs on the bone. */
function scene(triangles: number): Group {
  const root = new Group(),
    bone = new Bone(),
    coat = new SkinnedMesh(fan(triangles)),
    badge = new Mesh(fan(1));
  bone.name = 'chest';
  bone.position.y = 1;
  coat.name = 'coat';
  badge.name = 'badge';
  root.add(bone, coat);
  bone.add(badge);
  root.updateMatrixWorld(true);
  coat.bind(new Skeleton([bone]));
  return root;
}
const visible = (root: Group) =>
  meshesIn(root)
    .filter((mesh) => mesh.visible)
    .reduce((sum, mesh) => sum + trianglesOf(mesh), 0);

/** A .glb of JSON and numbers (glTF 2.0 §4). */
function binary(json: string, numbers: Uint8Array): ArrayBuffer {
  const text = new TextEncoder().encode(json.padEnd(Math.ceil(json.length / 4) * 4)),
    out = new Uint8Array(28 + text.length + numbers.length),
    words = new DataView(out.buffer);
  [0x46546c67, 2, out.length, text.length, 0x4e4f534a].forEach((word, i) => {
    words.setUint32(i * 4, word, true);
  });
  out.set(text, 20);
  words.setUint32(20 + text.length, numbers.length, true);
  words.setUint32(24 + text.length, 0x004e4942, true);
  out.set(numbers, 28 + text.length);
  return out.buffer;
}

describe('which level is shown', () => {
  it('is the last that has begun; who stands on the line sees no flicker', () => {
    const from = [3, 9];
    expect([0, 2.9, 3, 8.9, 9, 100].map((metres) => levelAt(metres, from, 0))).toEqual([0, 0, 1, 1, 2, 2]);
    expect([2.9, 2.8].map((metres) => levelAt(metres, from, 1))).toEqual([1, 0]);
    // Two lines at once are crossed at once.
    expect(levelAt(1, from, 2)).toBe(0);
    expect(levelAt(5, [], 0)).toBe(0);
  });
});

describe('levels in files of their own', () => {
  it('hang on a joint, not on a mesh that is called as it', () => {
    const near = scene(40),
      bone = near.children[0];
    // The mesh comes first, as loaders often have it.
    near.children.reverse();
    meshesIn(near)[0].name = bone.name;
    joinLevels(near, [{ n: 1, fromM: 3, surfaces: surfacesOf(scene(10)), triangles: 11 }]);
    for (const coat of meshesIn(near).filter((mesh): mesh is SkinnedMesh => (mesh as SkinnedMesh).isSkinnedMesh))
      expect(coat.skeleton.bones[0]).toBe(bone);
  });

  it('hang on the joints of the nearest by name, and take its place by distance or as they are held', () => {
    const near = scene(40),
      other = scene(10),
      bone = near.children[0];
    joinLevels(near, [{ n: 1, fromM: 3, surfaces: surfacesOf(other), triangles: 11 }]);
    const coats = meshesIn(near).filter((mesh): mesh is SkinnedMesh => (mesh as SkinnedMesh).isSkinnedMesh);
    expect(coats).toHaveLength(2);
    for (const coat of coats) expect(coat.skeleton.bones[0]).toBe(bone);
    expect(bone.children.map(({ name }) => name)).toEqual(['badge', 'badge']);
    expect(visible(near)).toBe(41);
    const figure = new LevelSwitch(near),
      view = new LevelView([3]),
      eye = new Vector3(0, 0, 5);
    expect(view.look(figure, new Vector3(), eye)).toBe(1);
    expect(visible(near)).toBe(11);
    view.held = 0;
    expect(view.look(figure, new Vector3(), eye)).toBe(0);
    expect(visible(near)).toBe(41);
    // A level that isn't there is not shown.
    figure.show(4);
    expect(visible(near)).toBe(41);
  });
  it('that are parts of the nearest are shown with it', () => {
    const near = scene(40);
    hangOn(near, surfacesOf(scene(7)));
    expect(visible(near)).toBe(49);
    expect(new Set(meshesIn(near).flatMap((mesh) => (mesh as SkinnedMesh).skeleton?.bones ?? [])).size).toBe(1);
  });
});

describe('levels in one glTF', () => {
  const bytes = new Uint8Array(Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0).buffer),
    file = (ids: unknown) =>
      JSON.stringify({
        asset: { version: '2.0' },
        scene: 0,
        scenes: [{ nodes: [0, 2] }],
        nodes: [
          { name: 'coat', mesh: 0, extensions: { MSFT_lod: { ids } }, extras: { MSFT_screencoverage: [0.5, 0.1, 0] } },
          { name: 'coat_lod1', mesh: 1 },
          { name: 'badge', mesh: 1 },
          { name: 'coat_lod2', mesh: 1 },
        ],
        meshes: [0, 1].map((indices) => ({
          primitives: [{ attributes: { POSITION: 0 }, ...(indices === 0 && { mode: 5 }) }],
        })),
        accessors: [{ bufferView: 0, componentType: 5126, count: 4, type: 'VEC3', min: [0, 0, 0], max: [1, 1, 0] }],
        bufferViews: [{ buffer: 0, byteLength: bytes.length }],
        buffers: [{ byteLength: bytes.length }],
        extensionsUsed: ['MSFT_lod'],
      }),
    open = async (ids: unknown) => new GLTFLoader().parseAsync(binary(file(ids), bytes), '');
  it('are found by the library’s own parser; what has none is shown at all of them', async () => {
    const gltf = await open([1, 3]),
      levels = await levelsHeld(gltf);
    expect(levels.map(({ n, surfaces }) => [n, surfaces[0].object.name])).toEqual([
      [1, 'coat_lod1'],
      [2, 'coat_lod2'],
    ]);
    // Half of the height, and a tenth: 1.75 m in 50 degrees.
    expect(levels[0].fromM).toBeCloseTo(1.75 / Math.tan((25 * Math.PI) / 180), 3);
    expect(levels[1].fromM).toBeCloseTo(levels[0].fromM * 5, 3);
    joinLevels(gltf.scene, levels);
    const figure = new LevelSwitch(gltf.scene),
      shown = () =>
        meshesIn(gltf.scene)
          .filter((mesh) => mesh.visible)
          .map(({ name }) => name);
    expect(shown()).toEqual(['coat', 'badge']);
    figure.show(2);
    expect(shown()).toEqual(['badge', 'coat_lod2']);
  });
  it('that are named wrongly are none', async () => {
    for (const ids of [[0], [2], [99, -1], 'one', null]) expect(await levelsHeld(await open(ids))).toEqual([]);
  });
});
