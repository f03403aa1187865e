import { Document } from '@gltf-transform/core';
import { updateDossier } from '../../character/index.ts';
import { type Finding, ProblemError } from '../../problem.ts';
import { extensionOf, folderOf, type InputFile } from '../files.ts';
import { ImageShelf } from '../images/shelf.ts';
import type { Reader, ReaderOutput } from '../reader.ts';
import { asUtf8 } from '../text/decode.ts';
import { childOf, down, parseXml, type XmlNode } from '../text/xml.ts';
import { makeSkin } from '../mesh/skin.ts';
import { readClips } from './animation.ts';
import { ColladaMaterials } from './materials.ts';
import { SceneBuilder } from './scene.ts';
import { BULK, Collada } from './source.ts';

export const colladaReader: Reader = {
  id: 'collada',
  title: 'COLLADA',
  extensions: ['dae', 'zae'],
  accepts: (file) => extensionOf(file.path) === 'dae' || (extensionOf(file.path) === 'xml' && looksLike(file.bytes)),
  read: readCollada,
};

const looksLike = (bytes: Uint8Array): boolean => new TextDecoder().decode(bytes.subarray(0, 600)).includes('<COLLADA');

/**
 * Reads COLLADA 1.4 and 1.5: geometry of every polygon sort, skins with all influences, morphs under and over them,
 * node hierarchies, materials of the common profile, clips. Unit and up axis are kept as declared and put right by
 * the first step.
 * @throws ProblemError collada.*, xml.*
 */
export async function readCollada(main: InputFile, files: readonly InputFile[]): Promise<ReaderOutput> {
  const findings: Finding[] = [],
    used = [main.path];
  const bytes = asUtf8(main.bytes);
  const root = parseXml(bytes, main.path, BULK);
  if (root.name !== 'COLLADA')
    throw new ProblemError(
      'collada.other',
      `“${main.path}” is an XML file, but not COLLADA (it begins with <${root.name}>).`,
      main.path,
    );
  const file = new Collada(root, bytes, main.path, findings);
  const document = new Document();
  document.createBuffer();
  const shelf = new ImageShelf(document, files, folderOf(main.path), used, findings);
  const scene = new SceneBuilder(file, document, new ColladaMaterials(file, document, shelf));
  scene.build();
  const meshes = document
      .getRoot()
      .listMeshes()
      .some((mesh) => mesh.listPrimitives().length),
    joints = meshes
      ? []
      : scene.made.flatMap(({ element, node }) => (element.attributes.type === 'JOINT' ? [node] : []));
  if (joints.length) {
    makeSkin(document, 'skeleton', [...new Set(joints)]);
    findings.push({
      code: 'intake.no-mesh',
      severity: 'warning',
      message: `“${main.path}” holds a skeleton of ${joints.length} joints and no mesh.`,
      where: main.path,
    });
  } else if (!meshes)
    throw new ProblemError(
      'collada.no-mesh',
      `“${main.path}” holds no triangles. Export the meshes together with the skeleton.`,
      main.path,
    );
  readClips(file, document, scene.made);
  keepDeclared(document, childOf(root, 'asset'));
  return { document, findings, used };
}

function keepDeclared(document: Document, asset: XmlNode | null): void {
  const meter = Number(childOf(asset, 'unit')?.attributes.meter);
  const up = childOf(asset, 'up_axis')?.text.trim().toUpperCase();
  updateDossier(document, {
    declared: {
      unitMetres: Number.isFinite(meter) && meter > 0 ? meter : 1,
      upAxis: up === 'Z_UP' ? 'z' : up === 'X_UP' ? 'x' : 'y',
    },
  });
  const author = down(asset, 'contributor', 'author')?.text.trim(),
    copyright = down(asset, 'contributor', 'copyright')?.text.trim(),
    tool = down(asset, 'contributor', 'authoring_tool')?.text.trim();
  const info = document.getRoot().getAsset();
  if (tool) info.generator = tool;
  if (copyright || author) info.copyright = [copyright, author].filter(Boolean).join(', ');
}
