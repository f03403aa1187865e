import type { Finding } from '../../problem.ts';
import type { MixDone } from './mix.ts';
import type { MapsMixed } from './mix-maps.ts';

/** How the others were recognised, and what of the skin was not. */
export function toldOfParts({ prepared, came }: MixDone): Finding[] {
  const { own, others, skin } = prepared,
    findings: Finding[] = [];
  for (const { person, matches } of others) {
    const missing = own.sheets.filter(({ first }, i) => skin.pointOf[first] >= 0 && !matches[i]),
      by = (how: string) => matches.filter((match) => match?.by === how).length,
      ways = [
        [by('order'), 'by the order of vertices'],
        [by('places'), 'by texture places'],
        [by('surface'), 'by how triangles hang together'],
      ].flatMap(([count, way]) => (count ? [`${count} ${way}`] : []));
    findings.push({
      code: 'morphs.recognised',
      severity: 'info',
      message: `${matches.filter(Boolean).length} of ${matches.length} parts were found on “${person.name}”: ${ways.join(', ')}. The others go along with the skin.${person.turnedDegrees ? ` It stood otherwise, and was turned into this one's pose by up to ${Math.round(person.turnedDegrees)}°.` : ''}`,
      where: person.name,
      measured: matches.filter(Boolean).length,
    });
    for (const { part } of missing)
      findings.push({
        code: 'morphs.skin-not-mixed',
        severity: 'warning',
        message: `“${part.name}” is another mesh on “${person.name}”, so it keeps its shape and only goes along.`,
        where: part.name,
        repair: 'morphs.mix',
      });
  }
  if (came.length)
    findings.push({
      code: 'morphs.came-along',
      severity: 'info',
      message: `${came.length === 1 ? 'A morph' : `${came.length} morphs`} that only the others had came along: ${came
        .slice(0, 8)
        .map((name) => `“${name}”`)
        .join(', ')}${came.length > 8 ? ' …' : ''}.`,
      measured: came.length,
    });
  return findings;
}

const WHY: Readonly<Record<MapsMixed['left'][number]['why'], string>> = {
  layout: 'the other has another texture layout',
  unreadable: 'one of the images can’t be opened',
  none: 'the other has no such map',
};
export const toldOfMaps = (maps: MapsMixed | null): Finding[] =>
  (maps?.left ?? []).map(({ texture, why }) => ({
    code: 'morphs.colour-not-mixed',
    severity: 'warning',
    message: `The colours of “${texture}” were not mixed: ${WHY[why]}. They stay as they are.`,
    where: texture,
    repair: 'morphs.mix',
  }));
