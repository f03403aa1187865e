import type { AppearanceRegion, AppearanceRow } from '../../parity/index.ts';
import type { AppearanceLimit } from '../../targets/index.ts';
import { judged, type Named, type Rule } from '../judgement.ts';

interface Place {
  region: AppearanceRegion;
  row: AppearanceRow;
}

/** The heaviest place of a sort that no step meant; null where there is none. */
function heaviest(
  rows: readonly AppearanceRow[],
  loss: 'converted' | 'drawn',
  sort: (region: AppearanceRegion) => boolean,
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
const placeRule =
  (
    limit: AppearanceLimit,
    named: Named,
    loss: 'converted' | 'drawn',
    sort: (region: AppearanceRegion) => boolean,
  ): Rule =>
  ({ parity, target }) => {
    const rows = parity?.appearance.views;
    if (!rows?.length) return null;
    const most = target.appearance[limit],
      worst = heaviest(rows, loss, sort),
      weight = worst?.region.weight ?? 0,
      ok = weight <= most;
    const found = { ...judged(named, weight, most, ok), blocking: !target.appearance.noteOnly.includes(limit) };
    return worst && !ok
      ? {
          ...found,
          message:
            `${told(worst, loss)}: weight ${weight}, the target allows ${most}.${worst.region.came ? ` It came with “${worst.region.came.title}”.` : ''}`.replace(
              /^“?./,
              (c) => c.toUpperCase(),
            ),
        }
      : found;
  };

/** Pixels of a view on which a material has to show for it to be missed. */
const LEAST_COVER = 150;

/** What is missed of a material's pixels, where most is: as the result means it or as an engine draws it. */
const coverRule: Rule = ({ parity, target }) => {
  const rows = parity?.appearance.views;
  if (!rows?.length) return null;
  // What steps exchanged on purpose shows elsewhere.
  const meant = new Set(
    rows.flatMap((row) => row.converted.regions.flatMap((region) => (region.meant ? region.from : []))),
  );
  let worst = { lost: 0, material: '', view: '' };
  for (const { view, coverage } of rows)
    for (const { material, source, missed } of coverage) {
      const lost = source < LEAST_COVER || meant.has(material) ? 0 : Math.max(missed.result, missed.drawn) / source;
      if (lost > worst.lost) worst = { lost, material, view: view.name };
    }
  const percent = Math.round(worst.lost * 100),
    ok = percent <= target.appearance.cover,
    named: Named = {
      rule: 'appearance.cover',
      title: 'Most that a material lost of itself',
      station: 'materials',
      unit: '%',
    };
  const found = {
    ...judged(named, percent, target.appearance.cover, ok),
    blocking: !target.appearance.noteOnly.includes('cover'),
  };
  return ok
    ? found
    : {
        ...found,
        message: `“${worst.material}” is missed on ${percent} % of its pixels in the source (${worst.view}), the target allows ${target.appearance.cover} %.`,
      };
};

/** How like its source the result looks, and how like itself once a usual engine draws it. */
export const APPEARANCE: readonly Rule[] = [
  placeRule(
    'other',
    { rule: 'appearance.other', title: 'Heaviest place with another material', station: 'materials', unit: 'ΔE·px' },
    'converted',
    ({ from, to }) => from !== to,
  ),
  placeRule(
    'changed',
    { rule: 'appearance.changed', title: 'Heaviest place that looks different', station: 'textures', unit: 'ΔE·px' },
    'converted',
    ({ from, to }) => from === to,
  ),
  placeRule(
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
  coverRule,
];
