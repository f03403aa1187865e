import type { LookRegion, LookRow } from '../../parity/index.ts';
import type { LookLimit } from '../../targets/index.ts';
import { judged, type Named, type Rule } from '../judgement.ts';

interface Place {
  region: LookRegion;
  row: LookRow;
}

/** The heaviest place of a sort that no step meant; null where there is none. */
function heaviest(
  rows: readonly LookRow[],
  loss: 'converted' | 'drawn',
  sort: (region: LookRegion) => boolean,
): Place | null {
  let worst: Place | null = null;
  for (const row of rows)
    for (const region of row[loss].regions)
      if (!region.meant && sort(region) && region.weight > (worst?.region.weight ?? 0)) worst = { region, row };
  return worst;
}

const shown = (material: string | null): string => (material === null ? 'nothing' : `“${material}”`);

function told({ region, row }: Place, loss: 'converted' | 'drawn'): string {
  const where = `${row.view.name}${region.joint ? ` by ${region.joint}` : ''}`,
    size = `${region.mm2 < 1000 ? `${Math.round(region.mm2)} mm²` : `${Math.round(region.mm2 / 100)} cm²`}, ΔE ${region.deltaE.toFixed(0)}`;
  const was = loss === 'drawn' ? 'is meant' : 'shows in the source';
  return region.from === region.to
    ? `${shown(region.to)} looks different (${where}, ${size})`
    : `${shown(region.to)} shows where ${shown(region.from)} ${was} (${where}, ${size})`;
}

/** One sort of place, held against a limit of the target; nothing to say where nobody looked. */
const looksRule =
  (limit: LookLimit, named: Named, loss: 'converted' | 'drawn', sort: (region: LookRegion) => boolean): Rule =>
  ({ parity, target }) => {
    const rows = parity?.appearance.views;
    if (!rows?.length) return null;
    const most = target.looks[limit],
      worst = heaviest(rows, loss, sort),
      weight = worst?.region.weight ?? 0,
      ok = weight <= most;
    const found = { ...judged(named, weight, most, ok), blocking: !target.looks.noteOnly.includes(limit) };
    return worst && !ok
      ? {
          ...found,
          message: `${told(worst, loss)}: weight ${weight}, the target allows ${most}.`.replace(/^“?./, (c) =>
            c.toUpperCase(),
          ),
        }
      : found;
  };

/** How like its source the result looks, and how like itself once a usual engine draws it. */
export const LOOKS: readonly Rule[] = [
  looksRule(
    'other',
    { rule: 'appearance.other', title: 'Heaviest place with another material', station: 'materials', unit: 'ΔE·px' },
    'converted',
    ({ from, to }) => from !== to,
  ),
  looksRule(
    'changed',
    { rule: 'appearance.changed', title: 'Heaviest place that looks different', station: 'textures', unit: 'ΔE·px' },
    'converted',
    ({ from, to }) => from === to,
  ),
  looksRule(
    'drawn',
    {
      rule: 'appearance.drawn',
      title: 'Heaviest place that an engine draws otherwise',
      station: 'materials',
      unit: 'ΔE·px',
    },
    'drawn',
    () => true,
  ),
];
