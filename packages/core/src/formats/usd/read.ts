import { Document } from '@gltf-transform/core';
import { updateDossier } from '../../character/index.ts';
import { type Finding, ProblemError } from '../../problem.ts';
import { baseName, extensionOf, findFile, folderOf, type InputFile } from '../files.ts';
import { ImageShelf } from '../images/shelf.ts';
import type { Reader, ReaderOutput } from '../reader.ts';
import { UsdComposer } from './compose.ts';
import { isCrate, readUsdCrate } from './crate.ts';
import type { UsdLayer } from './layer.ts';
import { numberOf, UsdMaterials } from './materials.ts';
import { UsdScene } from './scene.ts';
import { readUsdText } from './text.ts';

const EXTENSIONS = ['usd', 'usda', 'usdc', 'usdz'] as const;
const isText = (bytes: Uint8Array): boolean =>
  new TextDecoder().decode(bytes.subarray(0, 64)).trimStart().startsWith('#usda');
export const isUsd = (file: InputFile): boolean =>
  isCrate(file.bytes) || isText(file.bytes) || /\.usd[ac]?$/i.test(file.path);

export const usdReader: Reader = {
  id: 'usd',
  title: 'USD',
  extensions: EXTENSIONS,
  accepts: isUsd,
  read: readUsd,
  leads: usdLeads,
};

/**
 * Reads USD with its sublayers, references, payloads, inherits and chosen variants: meshes with subsets, UsdSkel
 * skeletons, skins, blend shapes and motions, preview surfaces. Text and binary layers may stand side by side; packed
 * .usdz archives are opened before.
 * @throws ProblemError usd.*
 */
export async function readUsd(
  main: InputFile,
  files: readonly InputFile[],
  { level }: { level?: number } = {},
): Promise<ReaderOutput> {
  const findings: Finding[] = [],
    used = [main.path];
  const layers = new Map<string, UsdLayer>();
  const load = (file: InputFile): UsdLayer => {
    let layer = layers.get(file.path);
    if (!layer) {
      layer = parseLayer(file);
      layers.set(file.path, layer);
    }
    return layer;
  };
  const find = (asset: string, from: UsdLayer): UsdLayer | null => {
    const file = layerFile(asset, from.path, files);
    if (!file) return null;
    if (!used.includes(file.path)) used.push(file.path);
    return load(file);
  };
  const layer = load(main);
  const composer = new UsdComposer(find, findings, level),
    root = composer.stage(layer);
  const document = new Document();
  document.createBuffer();
  const shelves = new Map<string, ImageShelf>();
  const shelf = (folder: string): ImageShelf => {
    let found = shelves.get(folder);
    if (!found) {
      found = new ImageShelf(document, files, folder, used, findings);
      shelves.set(folder, found);
    }
    return found;
  };
  const rate = numberOf(layer.meta.get('timeCodesPerSecond')) ?? numberOf(layer.meta.get('framesPerSecond')) ?? 24;
  new UsdScene(
    root,
    document,
    new UsdMaterials(root, document, shelf, findings),
    findings,
    main.path,
    rate > 0 ? rate : 24,
  ).build();
  const meshes = document
    .getRoot()
    .listMeshes()
    .some((mesh) => mesh.listPrimitives().length);
  if (!meshes && !document.getRoot().listNodes().length)
    throw new ProblemError(
      'usd.no-mesh',
      `“${main.path}” holds no polygon meshes. Export the meshes together with the skeleton.`,
      main.path,
    );
  if (!meshes)
    findings.push({
      code: 'intake.no-mesh',
      severity: 'warning',
      message: `“${main.path}” holds joints and no mesh.`,
      where: main.path,
    });
  keepDeclared(document, layer);
  if (composer.levels.length) updateDossier(document, { stored: { levels: composer.levels } });
  return { document, findings, used };
}

function parseLayer(file: InputFile): UsdLayer {
  if (isCrate(file.bytes)) return readUsdCrate(file.bytes, file.path);
  if (!isText(file.bytes))
    throw new ProblemError('usd.unknown', `“${file.path}” is neither the text nor the binary form of USD.`, file.path);
  return readUsdText(file.bytes, file.path);
}

/** A layer named from another: beside it, by name anywhere, or as the first file of a packed archive of that name. */
function layerFile(asset: string, from: string, files: readonly InputFile[]): InputFile | null {
  const found = findFile(files, folderOf(from), asset)?.file ?? null;
  if (found && isUsd(found)) return found;
  if (extensionOf(asset) !== 'usdz') return null;
  const name = baseName(asset).toLowerCase();
  return files.find((file) => isUsd(file) && file.path.toLowerCase().split('/').includes(name)) ?? null;
}

/** Files that another file of these brings in: no character of their own. */
function usdLeads(file: InputFile): string[] {
  try {
    const layer = parseLayer(file),
      out = [...layer.subLayers];
    const visit = (prim: UsdLayer['root']): void => {
      for (const arc of [...prim.arcs.references, ...prim.arcs.payloads]) if (arc.asset) out.push(arc.asset);
      for (const child of prim.children.values()) visit(child);
      for (const set of prim.variants.values()) for (const variant of set.values()) visit(variant);
    };
    visit(layer.root);
    return out;
  } catch (error) {
    if (error instanceof ProblemError) return [];
    throw error;
  }
}

function keepDeclared(document: Document, layer: UsdLayer): void {
  // The schema's own defaults: centimetres, y up.
  const unitMetres = numberOf(layer.meta.get('metersPerUnit')) ?? 0.01,
    up = String(layer.meta.get('upAxis') ?? 'Y').toLowerCase();
  updateDossier(document, {
    declared: { unitMetres: unitMetres > 0 ? unitMetres : 0.01, upAxis: up === 'z' ? 'z' : up === 'x' ? 'x' : 'y' },
  });
  const custom = layer.meta.get('customLayerData'),
    info = document.getRoot().getAsset();
  const creator = custom instanceof Map ? custom.get('creator') : undefined,
    note = layer.meta.get('doc') ?? layer.meta.get('documentation') ?? layer.meta.get('comment');
  const tool = typeof creator === 'string' ? creator : typeof note === 'string' ? note : '';
  if (tool) info.generator = tool.slice(0, 200);
  const rights = custom instanceof Map ? (custom.get('copyright') ?? custom.get('license')) : undefined;
  if (typeof rights === 'string') info.copyright = rights;
}
