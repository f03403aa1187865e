import type { Document } from '@gltf-transform/core';
import { listParts } from '../character/index.ts';
import { findMisplaced, groupPieces, namePattern } from '../intake/index.ts';
import type { Finding } from '../problem.ts';
import { stageThings } from '../rig/index.ts';

/** Pieces that belong together, and triangles in a wrong material. */
export function pieceFindings(document: Document): Finding[] {
  const findings: Finding[] = [];
  // A node with several materials is one piece, whatever its parts are called.
  const pattern = namePattern([...new Set(listParts(document).map((part) => part.node.getName()))]);
  if (pattern)
    findings.push({
      code: 'intake.pieces',
      severity: 'info',
      message:
        `The body comes in ${pattern.pieces} pieces, named ${pattern.prefix ? `“${pattern.prefix}…` : '“…'}${pattern.suffix ? `…${pattern.suffix}”` : '”'}. The run joins what belongs together.`.replace(
          '……',
          '…',
        ),
      measured: pattern.pieces,
      repair: 'intake.assemble',
    });
  for (const { group, from, to, triangles } of findMisplaced(groupPieces(document)))
    findings.push({
      code: 'materials.misplaced',
      severity: 'warning',
      message: `${triangles} triangles of “${group.name}” have the material “${from?.getName() ?? 'none'}”, and lie in the surface of “${to?.getName() ?? 'none'}”. The run gives them back.`,
      where: group.name,
      measured: triangles,
      limit: 0,
      repair: 'intake.assemble',
    });
  return findings;
}

/** Cameras, lights and what else stands beside a figure. */
export function stageFindings(document: Document): Finding[] {
  const findings: Finding[] = [];
  const cameras = document.getRoot().listCameras().length,
    lights = document
      .getRoot()
      .listNodes()
      .filter((node) =>
        node.listExtensions().some((extension) => extension.extensionName === 'KHR_lights_punctual'),
      ).length,
    things = stageThings(document);
  const came = [
    cameras && `${cameras} ${cameras === 1 ? 'camera' : 'cameras'}`,
    lights && `${lights} ${lights === 1 ? 'light' : 'lights'}`,
    ...things.map(({ part, why }) => `“${part.name}” (${why})`),
  ].filter(Boolean);
  if (came.length)
    findings.push({
      code: 'intake.stage-things',
      severity: 'info',
      message: `${came.join(', ')} came along; ${came.length === 1 && cameras + lights <= 1 ? 'it is' : 'they are'} left out of what is delivered.`,
      measured: cameras + lights + things.length,
      ...(things.length ? { repair: 'intake.leave-out' } : {}),
    });
  return findings;
}
