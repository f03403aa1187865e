import { Document, WebIO } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { look } from './index.ts';

/** Two joints, one above the other, and a ribbon of four corners between them; `change` does harm before it is written. */
async function ribbon(change: (document: Document) => void = () => {}): Promise<Uint8Array> {
  const document = new Document(),
    scene = document.createScene(),
    buffer = document.createBuffer();
  const accessor = (
    type: 'VEC2' | 'VEC3' | 'VEC4' | 'MAT4' | 'SCALAR',
    array: Float32Array<ArrayBuffer> | Uint16Array<ArrayBuffer>,
  ) => document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const root = document.createNode('root'),
    top = document.createNode('top').setTranslation([0, 1, 0]);
  scene.addChild(root.addChild(top));
  const skin = document
    .createSkin()
    .addJoint(root)
    .addJoint(top)
    .setInverseBindMatrices(
      accessor(
        'MAT4',
        Float32Array.of(
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          0,
          0,
          1,
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          -1,
          0,
          1,
        ),
      ),
    );
  const prim = document
    .createPrimitive()
    .setMaterial(
      document.createMaterial('cloth').setBaseColorTexture(
        document
          .createTexture('cloth')
          .setMimeType('image/png')
          .setImage(
            new Uint8Array(
              await sharp({ create: { width: 4, height: 2, channels: 3, background: '#486' } })
                .png()
                .toBuffer(),
            ),
          ),
      ),
    )
    .setAttribute('POSITION', accessor('VEC3', Float32Array.of(0, 0, 0, 0.5, 0, 0, 0.5, 2, 0.25, 0, 2, 0)))
    .setAttribute('TEXCOORD_0', accessor('VEC2', Float32Array.of(0, 0, 1, 0, 1, 1, 0, 1)))
    .setAttribute('JOINTS_0', accessor('VEC4', Uint16Array.of(0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0)))
    .setAttribute('WEIGHTS_0', accessor('VEC4', Float32Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0)))
    .setIndices(accessor('SCALAR', Uint16Array.of(0, 1, 2, 0, 2, 3)))
    .addTarget(
      document
        .createPrimitiveTarget('lift')
        .setAttribute('POSITION', accessor('VEC3', Float32Array.of(0, 0, 0, 0, 0, 0, 0, 0.03, 0.04, 0, 0, 0))),
    );
  const mesh = document
    .createMesh('ribbon')
    .addPrimitive(prim)
    .setExtras({ targetNames: ['lift'] })
    .setWeights([0]);
  scene.addChild(document.createNode('ribbon').setMesh(mesh).setSkin(skin));
  const sampler = document
    .createAnimationSampler()
    .setInput(accessor('SCALAR', Float32Array.of(0, 1)))
    .setOutput(accessor('VEC4', Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1)));
  document
    .createAnimation('nod')
    .addSampler(sampler)
    .addChannel(document.createAnimationChannel().setSampler(sampler).setTargetNode(top).setTargetPath('rotation'));
  change(document);
  return new WebIO().writeBinary(document);
}
const seen = async (bytes: Uint8Array) => look({ path: 'a.glb', bytes }, []);
const node = (document: Document, name: string) =>
  document
    .getRoot()
    .listNodes()
    .find((entry) => entry.getName() === name) as ReturnType<Document['createNode']>;

const half = (await ribbon()).slice(0, 400);

describe('look', () => {
  it('sees what a sound file holds: size, morph, joints, clip, image', async () => {
    const found = await seen(await ribbon());
    expect(found).toMatchObject({
      validator: { errors: [], unused: [] },
      joints: { joints: 2, outside: [] },
      hidden: [],
      clips: { channels: 1, unbound: [] },
      notFinite: [],
      images: [{ name: 'cloth', width: 4, height: 2 }],
    });
    expect(found.refused).toBeUndefined();
    expect(found.sizeMm?.map(Math.round)).toEqual([500, 2000, 250]);
    expect(found.morphs).toEqual([{ name: 'lift', vertices: 1, farthestMm: expect.closeTo(50, 3) }]);
  });
  it('sees joints that hang nowhere, and with them a clip that moves nothing and a figure of another size', async () => {
    const found = await seen(
      await ribbon((document) => {
        const scene = document.getRoot().listScenes()[0];
        scene.removeChild(node(document, 'root'));
        node(document, 'root').setTranslation([0, 3, 0]);
        node(document, 'top').setTranslation([0, 4, 0]);
      }),
    );
    expect(found.joints.outside.sort()).toEqual(['root', 'top']);
    expect(found.clips.unbound).toEqual(['nod: top.quaternion']);
    expect(found.sizeMm?.map(Math.round)).not.toEqual([500, 2000, 250]);
    expect(found.validator.errors.map((row) => row.code)).toContain('NODE_SKIN_NO_SCENE');
  });
  it('draws the figure where its joints put it, not where its vertices say', async () => {
    const found = await seen(
      await ribbon((document) => {
        node(document, 'top').setTranslation([0, 2, 0]);
      }),
    );
    expect(found.sizeMm?.map(Math.round)).toEqual([500, 3000, 250]);
  });
  it("sees numbers that aren't finite, in arrays and in the JSON", async () => {
    const morph = await seen(
      await ribbon((document) => {
        const [target] = document.getRoot().listMeshes()[0].listPrimitives()[0].listTargets();
        target.getAttribute('POSITION')?.setArray(Float32Array.of(0, 0, 0, Number.NaN, 0, 0, 0, 0, 0, 0, Infinity, 0));
      }),
    );
    expect(morph.notFinite).toEqual([{ where: expect.stringMatching(/^\/accessors\/\d+$/), count: 2 }]);
    const text = '{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"translation":[0,1e999,0]}]}';
    expect((await look({ path: 'a.gltf', bytes: new TextEncoder().encode(text) }, [])).notFinite).toEqual([
      { where: '/nodes/0/translation/1', count: 1 },
    ]);
  });
  it('sees an image that is cut off or missing', async () => {
    const cut = await seen(
      await ribbon((document) => {
        const [texture] = document.getRoot().listTextures();
        texture.setImage((texture.getImage() as Uint8Array).slice(0, 60));
      }),
    );
    expect(cut.images[0].problem).toBeTruthy();
    const text = '{"asset":{"version":"2.0"},"images":[{"uri":"gone.png"}],"textures":[{"source":0}]}';
    const missing = await look({ path: 'a.gltf', bytes: new TextEncoder().encode(text) }, []);
    expect(missing.images).toEqual([{ name: 'gone.png', width: 0, height: 0, problem: 'its bytes are missing' }]);
  });
  it('sees what nothing uses, and meshes outside the scene', async () => {
    const found = await seen(
      await ribbon((document) => {
        document.createMaterial('spare');
        const [scene] = document.getRoot().listScenes();
        scene.removeChild(node(document, 'ribbon'));
      }),
    );
    expect(found.validator.unused.map((row) => row.code)).toContain('UNUSED_OBJECT materials');
    expect(found.hidden).toEqual(['ribbon']);
    expect(found.sizeMm).toBeNull();
  });
  it.each<[string, Uint8Array]>([
    ['nothing', new Uint8Array()],
    ['text', new TextEncoder().encode('no model')],
    ['half a file', half],
    ['a list', new TextEncoder().encode('[1,2]')],
  ])('answers with a reason for %s', async (_, bytes) => {
    const found = await seen(bytes);
    expect(found.refused ?? found.validator.errors[0]?.message).toBeTruthy();
    expect(found.sizeMm).toBeNull();
  });
});
