import type { Document } from '@gltf-transform/core';
import { isSeenThrough, ownOf, readDossier, STRAND_KINDS } from '../character/index.ts';
import { coarseMaps, findMaps, mapDensities } from '../maps/index.ts';
import type { Finding } from '../problem.ts';
import { channelWords } from '../textures/index.ts';
import type { CharacterSummary } from './character-summary.ts';

/** Materials whose kind isn't certain, that are drawn as they needn't be, or that lack a map. */
export const materialFindings = (document: Document, summary: CharacterSummary): Finding[] => [
  ...kindFindings(document),
  ...coarseFindings(document, summary),
  ...drawnFindings(summary),
  ...alphaFindings(document, summary),
];

/** What materials were taken for. */
function kindFindings(document: Document): Finding[] {
  const findings: Finding[] = [];
  const { kindsFound = {}, materialKinds = {} } = readDossier(document);
  for (const [name, { kind, reason }] of Object.entries(kindsFound))
    if (materialKinds[name])
      findings.push({
        code: 'materials.kind-found',
        severity: 'info',
        message: `“${name}” is taken for ${kind}: ${reason}.`,
        where: name,
      });
    else
      findings.push({
        code: 'materials.kind-unsure',
        severity: 'warning',
        message:
          kind === 'other'
            ? `Nothing tells what “${name}” is: not its name, its place or its looks. Say what it is.`
            : `“${name}” may be ${kind}: ${reason}. That is not enough to be sure; say what it is.`,
        where: name,
        repair: 'materials.kinds',
      });
  return findings;
}

/** Colour maps much coarser than their neighbours. */
function coarseFindings(document: Document, summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  for (const { found, usual } of coarseMaps(mapDensities(document, summary.unitMetres)))
    findings.push({
      code: 'textures.coarse',
      severity: 'warning',
      message: `The colour map “${found.file}” of “${found.material.getName()}” has ${found.perCm.toPrecision(2)} texels on a centimetre, where most of the figure has ${usual.toPrecision(2)}: it is ${found.side} to a side, perhaps a thumbnail brought by mistake. Bring the map itself.`,
      where: found.material.getName(),
      measured: Number(found.perCm.toPrecision(2)),
      limit: Number(usual.toPrecision(2)),
    });
  return findings;
}

/** Materials that are blended by accident, or have no colours. */
function drawnFindings(summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  for (const material of summary.materials) {
    if (material.alphaMode === 'BLEND' && !isSeenThrough(material.kind))
      findings.push({
        code: 'materials.blended-by-accident',
        severity: 'warning',
        message: `“${material.name}” is drawn blended, which ${material.kind === 'other' ? 'such a surface' : material.kind} rarely needs; the run decides by its pixels.`,
        where: material.name,
        repair: 'materials.transparency',
      });
    if (
      !material.maps.baseColor &&
      !material.maps.diffuse &&
      !['cornea', 'tear', 'glass', 'metal'].includes(material.kind)
    )
      findings.push({
        code: 'materials.no-base-colour',
        severity: 'info',
        message: `“${material.name}” has no base colour map.`,
        where: material.name,
      });
  }
  return findings;
}

/** Materials that should be seen through and have no alpha. */
function alphaFindings(document: Document, summary: CharacterSummary): Finding[] {
  const findings: Finding[] = [];
  const strands: readonly string[] = STRAND_KINDS,
    materials = document.getRoot().listMaterials();
  summary.materials.forEach((said, i) => {
    const material = materials[i],
      color = material?.getBaseColorTexture(),
      kept = material && ownOf(material, 'maps');
    if (
      !color ||
      color.getMimeType() !== 'image/jpeg' ||
      kept?.opacity ||
      material.getBaseColorFactor()[3] < 0.98 ||
      (said.alphaMode === 'OPAQUE' && !strands.includes(said.kind))
    )
      return;
    findings.push({
      code: 'materials.no-alpha',
      severity: 'warning',
      message: `The colour map of “${said.name}” is a JPEG, which has no alpha: what should be seen through is drawn solid. Bring it as PNG, or its opacity beside it.`,
      where: said.name,
      repair: 'materials.transparency',
    });
  });
  return findings;
}

/** Maps that came along without being named. */
export function unreferencedFindings(document: Document): Finding[] {
  const findings: Finding[] = [];
  const found = findMaps(document);
  for (const material of new Set(found.map((map) => map.material))) {
    const maps = found.filter((map) => map.material === material);
    findings.push({
      code: 'textures.unreferenced',
      severity: 'info',
      message: `${maps.length === 1 ? 'A map' : `${maps.length} maps`} of “${material.getName()}” came along without being named by the file: ${maps.map((map) => channelWords(map.channel)).join('; ')}. The run puts ${maps.length === 1 ? 'it' : 'them'} in place.`,
      where: material.getName(),
      measured: maps.length,
      repair: 'intake.find-maps',
    });
  }
  return findings;
}
