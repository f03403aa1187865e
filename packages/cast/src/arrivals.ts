import type { Document, Material, Texture } from '@gltf-transform/core';
import {
  influencesOf,
  jointPosition,
  jointRoles,
  listParts,
  poseSkeleton,
  RANGE_OF_MOTION,
  roleIndex,
  seededRandom,
  skeletonOf,
  standUp,
  writeBvh,
  writeCollada,
  writeGlb,
  writeGltfFiles,
  writeInfluences,
  writeObj,
  writePng,
  type Influences,
  type InputFile,
} from '@dimetra/core';
import { toCorvane } from './corvane.ts';
import { grownPlace } from './parts/stature.ts';
import { neckRoot, personById, type PersonId } from './people.ts';

/** What is wrong with an arrival and what is right: for tests, never read by the product. */
export interface Truth {
  schema: 1;
  person: PersonId;
  figure: 'Tessel' | 'Corvane';
  unitMetres: number;
  upAxis: 'y' | 'z';
  faults: { code: string; where?: string; count?: number }[];
  /** Joint name as it arrives → role. */
  roles: Record<string, string>;
  /** Material → channel → file, as it should be put together. */
  maps: Record<string, Record<string, string>>;
  /** Triangles that lie in a wrong material, by the piece they arrive in. */
  misplaced?: number;
  /** Morph → joint → where it belongs once the morph is on, in the file's own unit and axes; only morphs that move joints. */
  morphJoints?: Record<string, Record<string, [number, number, number]>>;
}
export interface Arrival {
  person: PersonId;
  files: InputFile[];
  truth: Truth;
}
export type DecodeImage = (
  bytes: Uint8Array,
  maxSize?: number,
) => Promise<{ width: number; height: number; data: Uint8Array }>;

type Make = (document: Document, decode: DecodeImage) => Promise<Arrival>;
const grey = (
  pixels: { width: number; height: number; data: Uint8Array },
  of: (r: number, g: number, b: number) => number,
): Uint8Array<ArrayBuffer> => {
  const data = new Uint8Array(pixels.data.length);
  for (let i = 0; i < data.length; i += 4) {
    const v = of(pixels.data[i], pixels.data[i + 1], pixels.data[i + 2]);
    data.set([v, v, v, 255], i);
  }
  return writePng({ ...pixels, data });
};
const alphaAsGrey = (pixels: { width: number; height: number; data: Uint8Array }): Uint8Array<ArrayBuffer> => {
  const data = new Uint8Array(pixels.data.length);
  for (let i = 0; i < data.length; i += 4) {
    const a = pixels.data[i + 3];
    data.set([a, a, a, 255], i);
  }
  return writePng({ ...pixels, data });
};
const fileOf = (texture: Texture | null): string => texture?.getURI() ?? '';

function truthOf(document: Document, person: PersonId, more: Partial<Truth> = {}): Truth {
  const skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton),
    own = personById(person),
    root = neckRoot(own) * own.height;
  return {
    schema: 1,
    person,
    figure: 'Tessel',
    unitMetres: 1,
    upAxis: 'y',
    faults: [],
    roles: Object.fromEntries(skeleton.joints.map((joint, i) => [joint.getName(), roles[i].role])),
    maps: Object.fromEntries(
      document
        .getRoot()
        .listMaterials()
        .map((material) => [
          material.getName(),
          Object.fromEntries(
            (
              [
                ['baseColor', material.getBaseColorTexture()],
                ['normal', material.getNormalTexture()],
                ['metallicRoughness', material.getMetallicRoughnessTexture()],
              ] as const
            ).flatMap(([channel, texture]) => (texture ? [[channel, fileOf(texture)]] : [])),
          ),
        ]),
    ),
    // Corvane's joints are other ones, in another pose: theirs would have to be found again.
    ...(more.figure
      ? {}
      : {
          morphJoints: {
            build_tall: Object.fromEntries(
              skeleton.joints.map((joint, i) => [joint.getName(), grownPlace(jointPosition(skeleton, i), root)]),
            ),
          },
        }),
    ...more,
  };
}

/** Clean, as it should be. */
const pilot: Make = async (document) => ({
  person: 'harbour-pilot',
  files: [{ path: 'harbour-pilot.glb', bytes: await writeGlb(document) }],
  truth: truthOf(document, 'harbour-pilot'),
});

/** .gltf that names colour maps alone; the others lie in a folder beside it under the same pattern of names. */
const deckhand: Make = async (document) => {
  const truth = truthOf(document, 'deckhand');
  const loose: InputFile[] = [];
  for (const material of document.getRoot().listMaterials()) {
    // Each map lies beside under the name of its material's colour map, even where several share one picture.
    const stem = fileOf(material.getBaseColorTexture()).replace(/_color\.\w+$/, '');
    for (const [channel, word, texture] of [
      ['normal', 'Normal', material.getNormalTexture()],
      ['metallicRoughness', 'ORM', material.getMetallicRoughnessTexture()],
    ] as const) {
      const image = texture?.getImage();
      if (!texture || !image || !stem) continue;
      const path = `maps/${stem}_${word}${fileOf(texture).slice(fileOf(texture).lastIndexOf('.'))}`;
      loose.push({ path, bytes: image });
      truth.maps[material.getName()][channel] = path;
    }
    material.setNormalTexture(null).setMetallicRoughnessTexture(null).setOcclusionTexture(null).setRoughnessFactor(0.7);
    if (Object.keys(truth.maps[material.getName()]).length > 1)
      truth.faults.push({ code: 'textures.unreferenced', where: material.getName() });
  }
  for (const texture of document.getRoot().listTextures())
    if (!texture.listParents().some((parent) => parent.propertyType === 'Material')) texture.dispose();
  return { person: 'deckhand', files: [...(await writeGltfFiles(document, 'deckhand')), ...loose], truth };
};

/** Another figure format as COLLADA: centimetres, Z up, specular and gloss maps, bump for normals, everything blended. */
const swimmer: Make = async (document, decode) => {
  toCorvane(document);
  const truth = truthOf(document, 'rescue-swimmer', { figure: 'Corvane', unitMetres: 0.01, upAxis: 'z' });
  truth.faults.push(
    { code: 'intake.unit' },
    { code: 'intake.up-axis' },
    { code: 'materials.blended-by-accident', count: document.getRoot().listMaterials().length },
    { code: 'materials.specular-gloss' },
    { code: 'materials.bump' },
  );
  const gloss = new Map<Material, Texture>(),
    bump = new Map<Material, Texture>();
  const made = new Map<Texture, Texture>();
  const once = async (from: Texture, name: string, of: (r: number, g: number, b: number) => number) => {
    let texture = made.get(from);
    if (!texture) {
      texture = document
        .createTexture(name)
        .setImage(grey(await decode(from.getImage() as Uint8Array), of))
        .setMimeType('image/png')
        .setURI(`${name}.png`);
      made.set(from, texture);
    }
    return texture;
  };
  for (const material of document.getRoot().listMaterials()) {
    const surface = material.getMetallicRoughnessTexture(),
      normal = material.getNormalTexture(),
      color = material.getBaseColorTexture();
    if (surface)
      gloss.set(material, await once(surface, fileOf(surface).replace(/_orm\.\w+$/, '_gloss'), (_r, g) => 255 - g));
    if (normal && color)
      bump.set(
        material,
        await once(color, fileOf(color).replace(/_color\.\w+$/, '_bump'), (r, g, b) =>
          Math.round(0.3 * r + 0.6 * g + 0.1 * b),
        ),
      );
    material.setNormalTexture(null).setMetallicRoughnessTexture(null).setOcclusionTexture(null);
  }
  for (const texture of document.getRoot().listTextures())
    if (/_(orm|normal)\./.test(fileOf(texture))) texture.dispose();
  standUp(document, { unitMetres: 100, upAxis: '-z', facing: '+z', floor: false });
  const files = writeCollada(document, 'rescue-swimmer', {
    unitMetres: 0.01,
    upAxis: 'Z_UP',
    imagePath: (texture) => `textures/${fileOf(texture)}`,
    shading: (material, sampler) => {
      const map = material.getBaseColorTexture(),
        shine = gloss.get(material);
      return `<specular><color>0.3 0.3 0.3 1</color></specular><shininess>${shine ? sampler(shine) : '<float>20</float>'}</shininess><transparent opaque="A_ONE">${map ? sampler(map) : '<color>1 1 1 1</color>'}</transparent><transparency><float>${map ? 1 : 0.1}</float></transparency>`;
    },
    extra: (material, sampler) => {
      const map = bump.get(material);
      return map ? `<bump>${sampler(map)}</bump>` : '';
    },
  });
  return { person: 'rescue-swimmer', files, truth };
};

/** Forty pieces with a prefix and a suffix, some faces in wrong materials, as OBJ in centimetres; the skeleton apart, in metres, as BVH. */
const signaller: Make = async (document, decode) => {
  toCorvane(document);
  // What is cut out says so in a map of its own.
  const opacity = new Map(
    document
      .getRoot()
      .listMaterials()
      .flatMap((material) =>
        /^(Hair|Lashes|Brows|Scalp)$/.test(material.getName()) && material.getBaseColorTexture()
          ? [[material, fileOf(material.getBaseColorTexture()).replace(/_color\.\w+$/, '_opacity.png')] as const]
          : [],
      ),
  );
  const truth = truthOf(document, 'port-signaller', { figure: 'Corvane', unitMetres: 0.01, misplaced: 0 });
  const slices = new Map(
    listParts(document).map((part) => [
      part.id,
      part.name === 'Head' ? 5 : /^(Sweater|Trousers|Waistcoat|Hands|Boots|Body)$/.test(part.name) ? 3 : 1,
    ]),
  );
  const number = new Map<string, number>();
  const pieceOf = (id: string, name: string, triangle: number, total: number): string => {
    const key = `${id} ${Math.floor((triangle * (slices.get(id) ?? 1)) / total)}`;
    if (!number.has(key)) number.set(key, number.size + 1);
    return `SGN_${name.replace(/[^A-Za-z]/g, '')}_${String(number.get(key)).padStart(2, '0')}_geo`;
  };
  // A patch of the head's faces names the material of the teeth, a patch of the hands' that of the boots.
  const wrong: Record<string, [string, number, number]> = {
    Head: ['Teeth', 0.4, 0.408],
    Hands: ['Boots_Rubber', 0.7, 0.72],
  };
  const misplaced = (name: string, triangle: number, total: number): string | null => {
    const found = wrong[name];
    return found && triangle >= total * found[1] && triangle < total * found[2] ? found[0] : null;
  };
  for (const part of listParts(document))
    for (let t = 0; t < part.triangles; t++) if (misplaced(part.name, t, part.triangles)) (truth.misplaced as number)++;
  truth.faults.push(
    { code: 'intake.unit' },
    { code: 'intake.no-skin' },
    { code: 'intake.pieces' },
    { code: 'materials.misplaced', count: truth.misplaced },
    { code: 'intake.skeleton-apart' },
  );
  const files = writeObj(document, 'port-signaller', {
    scale: 100,
    pieceOf: (part, t) => pieceOf(part.id, part.name, t, part.triangles),
    materialOf: (part, t) => misplaced(part.name, t, part.triangles) ?? part.material?.getName() ?? 'none',
    imagePath: (texture) => `textures/${fileOf(texture)}`,
    materialLines: (material) => [
      ...(material.getNormalTexture() ? [`map_Bump textures/${fileOf(material.getNormalTexture())}`] : []),
      ...(opacity.has(material) ? [`map_d textures/${opacity.get(material)}`] : []),
    ],
  });
  for (const [material, file] of opacity)
    files.push({
      path: `textures/${file}`,
      bytes: alphaAsGrey(await decode(material.getBaseColorTexture()?.getImage() as Uint8Array)),
    });
  for (const texture of document.getRoot().listTextures())
    if (/normal/.test(fileOf(texture)) && texture.getImage())
      files.push({ path: `textures/${fileOf(texture)}`, bytes: texture.getImage() as Uint8Array });
  const skeleton = skeletonOf(document),
    roles = roleIndex(jointRoles(document, skeleton));
  const frames = Array.from({ length: 60 }, (_, f) =>
    poseSkeleton(skeleton, roles, RANGE_OF_MOTION[23], Math.sin((f / 60) * Math.PI * 2)),
  );
  files.push({ path: 'port-signaller-stride.bvh', bytes: writeBvh(document, { scale: 1, frames }) });
  return { person: 'port-signaller', files, truth };
};

/** Joint names without meaning, gloss where roughness belongs, green the wrong way up, two broken binds, nine influences. */
const crane: Make = async (document, decode) => {
  const truth = truthOf(document, 'crane-operator');
  const random = seededRandom(77),
    skeleton = skeletonOf(document);
  const letters = 'bcdfghjkmnpqrstvwxz';
  const [skin] = document.getRoot().listSkins(),
    binds = skin.getInverseBindMatrices();
  const broken = ['elbow_l', 'knee_r'].map((name) => skin.listJoints().findIndex((joint) => joint.getName() === name));
  const roles: Record<string, string> = {},
    places: Record<string, [number, number, number]> = {};
  skeleton.joints.forEach((joint) => {
    const name = `${Array.from({ length: 4 }, () => letters[Math.floor(random() * letters.length)]).join('')}${100 + Math.floor(random() * 900)}`;
    roles[name] = truth.roles[joint.getName()];
    places[name] = truth.morphJoints?.build_tall[joint.getName()] as [number, number, number];
    joint.setName(name);
  });
  truth.roles = roles;
  truth.morphJoints = { build_tall: places };
  const values = Float32Array.from(binds?.getArray() ?? []);
  for (const joint of broken) {
    values[joint * 16 + 12] += 0.21;
    values[joint * 16 + 5] *= -1;
    truth.faults.push({ code: 'skeleton.broken-bind', where: skin.listJoints()[joint].getName() });
  }
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(values));
  for (const part of listParts(document)) {
    const influences = influencesOf(part.prim);
    if (influences && /Overalls|Head/.test(part.name)) writeInfluences(document, part.prim, nineInfluences(influences));
  }
  truth.faults.push({ code: 'weights.influences', count: 9 });
  for (const texture of new Set(
    document
      .getRoot()
      .listMaterials()
      .flatMap((material) => [material.getNormalTexture(), material.getMetallicRoughnessTexture()]),
  )) {
    if (!texture) continue;
    const pixels = await decode(texture.getImage() as Uint8Array);
    const normal = /normal/.test(fileOf(texture));
    for (let i = 1; i < pixels.data.length; i += 4) pixels.data[i] = 255 - pixels.data[i];
    texture.setImage(writePng(pixels)).setMimeType('image/png');
    truth.faults.push({ code: normal ? 'textures.green-down' : 'textures.gloss-as-roughness', where: fileOf(texture) });
  }
  return { person: 'crane-operator', files: [{ path: 'crane-operator.glb', bytes: await writeGlb(document) }], truth };
};

/** Spreads the weakest influence over neighbours in the joint list until a vertex has nine, as careless tools do. */
function nineInfluences(source: Influences): Influences {
  const vertices = source.joints.length / source.perVertex,
    out: Influences = {
      perVertex: 12,
      joints: new Uint16Array(vertices * 12),
      weights: new Float32Array(vertices * 12),
    };
  let most = 0;
  for (const joint of source.joints) if (joint > most) most = joint;
  for (let v = 0; v < vertices; v++) {
    let n = 0;
    const used = new Set<number>();
    for (let k = v * source.perVertex; k < (v + 1) * source.perVertex && n < 9; k++)
      if (source.weights[k] > 0) {
        out.joints[v * 12 + n] = source.joints[k];
        out.weights[v * 12 + n] = source.weights[k];
        used.add(source.joints[k]);
        n++;
      }
    if (n < 2) continue;
    const from = v * 12,
      share = 0.004;
    for (let joint = out.joints[from]; n < 9; joint = (joint + 1) % (most + 1)) {
      if (used.has(joint)) continue;
      used.add(joint);
      out.joints[from + n] = joint;
      out.weights[from + n] = share;
      out.weights[from] -= share;
      n++;
    }
  }
  return out;
}

/** How each person arrives. */
export const ARRIVALS: Readonly<Record<PersonId, Make>> = {
  'harbour-pilot': pilot,
  deckhand,
  'rescue-swimmer': swimmer,
  'port-signaller': signaller,
  'crane-operator': crane,
};
