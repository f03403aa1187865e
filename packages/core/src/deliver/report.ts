import { type Check, levelPixels, type LevelRow, type Stated, type Verdict, verdictSentence } from '../check/index.ts';
import type { CharacterSummary } from '../inspect/index.ts';
import {
  type AppearanceRegion,
  type AppearanceRow,
  looksByMaterial,
  type Parity,
  type ParityRow,
} from '../parity/index.ts';
import type { Finding } from '../problem.ts';
import type { Measure } from '../measures.ts';
import type { Target } from '../targets/index.ts';
import type { Decided } from './decided.ts';
import type { GradeRow } from './grade-row.ts';
import type { StatedModel } from './judge.ts';

/** The delivery report: a contract, version 1; also what `convert --json` prints, less the files. */
export interface Report {
  schema: 1;
  target: Target;
  source: CharacterSummary;
  result: CharacterSummary;
  steps: { id: string; title: string; cached: boolean; seconds: number; measures: Measure[]; findings: Finding[] }[];
  verdict: Verdict;
  checks: Check[];
  parity: Parity;
  stated: Stated;
  /** What was set by hand, and by whom. */
  decided: Decided;
  /** What came with the figure about who made it and what others may do with it. */
  licence: string[];
  /** Levels of detail behind the nearest, and how they look from where they begin. */
  levels?: LevelRow[];
  /** Further qualities of the figure, each with a report of its own in its folder. */
  grades?: GradeRow[];
  /** Where the package holds several models, what each is stated to be. */
  models?: StatedModel[];
}

const escapeHtml = (text: unknown): string =>
  String(text).replace(
    /[&<>"']/g,
    (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' })[c] as string,
  );
const number = (value: number, digits = 0): string =>
  value.toLocaleString('en-GB', { minimumFractionDigits: digits, maximumFractionDigits: digits });

const STYLE = `:root{color-scheme:light}body{font:15px/1.5 system-ui,sans-serif;max-width:60rem;margin:2.5rem auto;padding:0 1.5rem;color:#1d2327;background:#f6f4ee}
h1{font-size:1.7rem;margin:0 0 .2rem}h2{font-size:1.1rem;margin:2.2rem 0 .6rem;border-bottom:1px solid #cfcabb;padding-bottom:.3rem}
p.lead{color:#566069;margin:0 0 1rem}table{border-collapse:collapse;width:100%;font-variant-numeric:tabular-nums}
th{text-align:left;color:#566069;font-weight:500;font-size:.86rem}td,th{padding:.28rem .6rem .28rem 0;border-bottom:1px solid #e3dfd2}td.n,th.n{text-align:right}
.source{color:#8a4a1c}.result{color:#17695a}.no{font-weight:600}.both{display:grid;grid-template-columns:1fr 1fr;gap:1rem;margin:1rem 0}.both figure{margin:0}.both img{width:49%}.both figcaption{font-size:.86rem;color:#566069}.places{display:grid;grid-template-columns:repeat(3,1fr);gap:.8rem;margin:1rem 0}.places figure{margin:0}.places img{width:49%;image-rendering:pixelated}.places figcaption{font-size:.86rem;color:#566069}@media print{body{background:#fff;margin:0}}`;

/** One self-contained page, printable, with no reference to anything outside it. */
export function reportHtml(report: Report): string {
  const { source, result, target, checks, parity, verdict, stated } = report;
  const pairs: [string, string, string][] = [
    ['Triangles', number(source.triangles), number(result.triangles)],
    ['Vertices', number(source.vertices), number(result.vertices)],
    ['Joints', number(source.joints.length), number(result.joints.length)],
    ['Influences on a vertex', number(source.influencesMax), number(result.influencesMax)],
    ['Materials', number(source.materials.length), number(result.materials.length)],
    [
      'Texture memory, MB',
      number(source.textureMemoryBytes / 1048576, 1),
      number(result.textureMemoryBytes / 1048576, 1),
    ],
    ['Morph targets', number(source.morphTargets.length), number(result.morphTargets.length)],
    ['Height, cm', number(source.heightCm, 1), number(result.heightCm, 1)],
    ['Width × height × depth at rest, mm', '', stated.sizeMm?.map((mm) => number(mm, 1)).join(' × ') ?? 'nothing'],
  ];
  const row = (entry: Omit<ParityRow, 'name'>, name: string) =>
    `<tr><td>${escapeHtml(name)}</td><td class="n">${entry.rmsMm.toFixed(3)}</td><td class="n">${entry.p99Mm.toFixed(2)}</td><td class="n">${entry.maxMm.toFixed(2)}</td><td class="n">${entry.vertex ? entry.vertex.rmsMm.toFixed(2) : ''}</td><td>${escapeHtml(entry.where ?? '')}</td></tr>`;
  const findings = report.steps.flatMap((step) => step.findings.map((finding) => ({ step: step.title, ...finding })));
  const list = (title: string, entries: readonly string[]) =>
    entries.length ? `<p><b>${title}:</b> ${entries.map(escapeHtml).join('; ')}</p>` : '';
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(result.name)} for ${escapeHtml(target.title)}</title><style>${STYLE}</style></head><body>
<h1>${escapeHtml(result.name)} for ${escapeHtml(target.title)}</h1>
<p class="lead">${verdictSentence(verdict)} At rest the result lies ${parity.shape.rest.rmsMm.toFixed(3)} mm RMS from the source, ${parity.shape.rest.maxMm.toFixed(2)} mm at most.</p>
<h2>Source and result</h2>${picturesHtml(parity)}<table><tr><th></th><th class="n source">Source</th><th class="n result">Result</th></tr>${pairs.map(([name, a, b]) => `<tr><td>${name}</td><td class="n source">${a}</td><td class="n result">${b}</td></tr>`).join('')}</table>
<h2>Rules of the target</h2><table><tr><th>Rule</th><th class="n">Measured</th><th class="n">Limit</th><th></th></tr>${checks.map((check) => `<tr><td>${escapeHtml(check.title)}</td><td class="n">${escapeHtml(check.measured)} ${escapeHtml(check.unit)}</td><td class="n">${escapeHtml(check.limit)} ${escapeHtml(check.unit)}</td><td class="${check.ok ? '' : 'no'}">${check.ok ? 'holds' : check.blocking ? 'blocks' : 'noted'}</td></tr>`).join('')}</table>
<h2>Shape</h2><table><tr><th>Millimetres, ${number(parity.samples)} samples a side</th><th class="n">RMS</th><th class="n">99 %</th><th class="n">Largest</th><th class="n">RMS of vertices</th><th>Where</th></tr>${row(parity.shape.rest, 'At rest')}${parity.shape.covered ? row(parity.shape.covered, `Under clothes at rest, ${Math.round(parity.shape.covered.share * 100)} % of the surface; not in the other rows`) : ''}${parity.shape.parts.map((entry) => row(entry, `Part: ${entry.name}`)).join('')}${parity.shape.poses.map((entry) => row(entry, `Pose: ${entry.name}`)).join('')}${parity.shape.morphs.map((entry) => row(entry, `Morph: ${entry.name}`)).join('')}</table>
${parity.shape.skin ? `<h2>Skin through clothes</h2><table><tr><th>Square centimetres, over 24 views</th><th class="n source">Source</th><th class="n result">Result</th></tr>${parity.shape.skin.map((entry) => `<tr><td>${escapeHtml(entry.pose)}</td><td class="n source">${number(entry.sourceCm2, 1)}</td><td class="n result">${number(entry.resultCm2, 1)}</td></tr>`).join('')}</table>` : ''}
${gradesHtml(report)}${levelsHtml(report)}<h2>Appearance</h2><p>Base colour differs by ΔE ${parity.appearance.baseColorDeltaE.mean} on average, ${parity.appearance.baseColorDeltaE.p99} at the 99th percentile.</p>${looksHtml(parity)}
${decidedHtml(report)}<h2>Inventory</h2>${list('Gone', parity.inventory.lost) || '<p>Nothing is gone.</p>'}${list('Left out on purpose', parity.inventory.leftOut)}${list('New', parity.inventory.added)}${list('Renamed', parity.inventory.renamed)}
<h2>Steps</h2><table><tr><th>Step</th><th>Measure</th><th class="n source">Source</th><th class="n result">Result</th></tr>${report.steps.flatMap((step) => step.measures.map((measure, i) => `<tr><td>${i ? '' : escapeHtml(step.title)}</td><td>${escapeHtml(measure.name)}</td><td class="n source">${number(measure.source, measure.source % 1 ? 2 : 0)} ${escapeHtml(measure.unit)}</td><td class="n result">${number(measure.result, measure.result % 1 ? 2 : 0)} ${escapeHtml(measure.unit)}</td></tr>`)).join('')}</table>
${findings.length ? `<h2>Findings</h2><table>${findings.map((finding) => `<tr><td>${escapeHtml(finding.step)}</td><td>${escapeHtml(finding.message)}</td></tr>`).join('')}</table>` : ''}
</body></html>`;
}

/** Further qualities of the same figure; each has a report of its own. */
const gradesHtml = ({ grades = [] }: Report): string =>
  grades.length
    ? `<h2>Grades</h2><table><tr><th></th><th>Folder</th><th class="n">triangles</th><th class="n">texture memory, MB</th><th class="n">package, MB</th><th></th></tr>${grades
        .map(
          (row) =>
            `<tr><td>${escapeHtml(row.title)}</td><td>${escapeHtml(row.folder)}</td><td class="n">${number(row.triangles)}</td><td class="n">${number(row.textureMemoryBytes / 1048576, 1)}</td><td class="n">${number(row.bytes / 1048576, 1)}</td><td>${escapeHtml(verdictSentence(row.verdict))}</td></tr>`,
        )
        .join('')}</table>`
    : '';

/** What was set by hand, who asked for it, and what came with the figure about its licence. */
function decidedHtml({ decided: { by, recipe, settings }, licence }: Report): string {
  const own = settings.filter((row) => row.own).length,
    lead = [
      recipe &&
        `It follows the recipe “${recipe.title}”, version ${recipe.version}, with ${own ? `${own} of its own` : 'nothing of its own'}.`,
      by && `Asked for by ${by}.`,
      settings.length ? '' : 'Nothing was set by hand: every step did what the target asks for.',
    ].filter(Boolean);
  const rows = settings.map(
    ({ where, what, own: alone }) =>
      `<tr><td>${escapeHtml(where)}</td><td>${escapeHtml(what)}</td><td>${recipe ? (alone ? 'this character' : 'the recipe') : ''}</td></tr>`,
  );
  return `<h2>Set by hand</h2>${lead.map((line) => `<p>${escapeHtml(line)}</p>`).join('')}${rows.length ? `<table><tr><th>Step</th><th>Setting</th><th></th></tr>${rows.join('')}</table>` : ''}<h2>Licence</h2>${licence.length ? licence.map((line) => `<p>${escapeHtml(line)}</p>`).join('') : '<p>Nothing came with the figure.</p>'}`;
}

/** Levels of detail, each beside the nearest as it is seen from where it begins. */
function levelsHtml({ levels = [], result }: Report): string {
  const cell = (value: string) => `<td class="n">${escapeHtml(value)}</td>`;
  const rows = levels.map(
    (row) =>
      `<tr><td>Level ${row.n}</td>${[number(row.fromM, 1), number(row.triangles), number(row.vertices), number(row.morphs), row.restRmsMm.toFixed(2), row.poseRmsMm.toFixed(2), levelPixels(row).toFixed(2), row.looks ? number(row.looks.share * 100) : ''].map(cell).join('')}</tr>`,
  );
  return rows.length
    ? `<h2>Levels of detail</h2><table><tr><th></th><th class="n">from, m</th><th class="n">triangles</th><th class="n">vertices</th><th class="n">morphs</th><th class="n">RMS at rest, mm</th><th class="n">in the worst pose</th><th class="n">pixels from there</th><th class="n">looks different, % of what is allowed</th></tr><tr><td>Nearest</td>${['0', number(result.triangles), number(result.vertices), number(result.morphTargets.length), '', '', '', ''].map(cell).join('')}</tr>${rows.join('')}</table>`
    : '';
}

/** Both as they are drawn, beside each other. */
function picturesHtml({ appearance: { views = [] } }: Parity): string {
  const shown = views.flatMap(({ view, pictures }) =>
    pictures
      ? [
          `<figure><img src="${escapeHtml(pictures.source)}" alt="Source, ${escapeHtml(view.name)}"> <img src="${escapeHtml(pictures.result)}" alt="Result, ${escapeHtml(view.name)}"><figcaption><span class="source">Source</span>, <span class="result">result</span>: ${escapeHtml(view.name)}</figcaption></figure>`,
        ]
      : [],
  );
  return shown.length ? `<div class="both">${shown.join('')}</div>` : '';
}

/** What shows otherwise of each material, from the side where it is worst. */
const materialsHtml = (views: readonly AppearanceRow[]): string =>
  `<table><tr><th>Material</th><th class="n">missed, %</th><th class="n">roughness is off by</th><th class="n">normals are off by, °</th></tr>${looksByMaterial(
    views,
  )
    .map(
      ({ material, missed, roughness, degrees }) =>
        `<tr><td>${escapeHtml(material)}</td><td class="n">${missed}</td><td class="n">${number(roughness, 2)}</td><td class="n">${number(degrees, 1)}</td></tr>`,
    )
    .join('')}</table>`;

/** What differs from each side, and pictures of the places where it differs most. */
function looksHtml({ appearance: { views } }: Parity): string {
  if (!views?.length) return '';
  const heaviest = (regions: readonly AppearanceRegion[]) => regions.find((region) => !region.meant);
  const words = (region: AppearanceRegion | undefined) =>
    region
      ? `${region.from === region.to ? region.to : `${region.from ?? 'nothing'} → ${region.to ?? 'nothing'}`}, ${number(region.mm2, 0)} mm², ΔE ${number(region.deltaE, 0)}`
      : '';
  const rows = views.map(
    ({ view, converted, drawn }) =>
      `<tr><td>${escapeHtml(view.name)}</td><td class="n">${number(converted.deltaE.mean, 2)}</td><td class="n">${number(converted.structure, 3)}</td><td>${escapeHtml(words(heaviest(converted.regions)))}</td><td class="n">${number(drawn.deltaE.mean, 2)}</td><td>${escapeHtml(words(heaviest(drawn.regions)))}</td></tr>`,
  );
  const places = views
    .flatMap(({ view, converted, drawn }) => [
      ...converted.regions.map((region) => ({ view, region, how: 'source, result' })),
      ...drawn.regions.map((region) => ({ view, region, how: 'result as meant, as an engine draws it' })),
    ])
    .sort((a, b) => b.region.weight - a.region.weight)
    .flatMap(({ view, region, how }) =>
      region.crops
        ? [
            `<figure><img src="${escapeHtml(region.crops.source)}" alt=""> <img src="${escapeHtml(region.crops.result)}" alt=""><figcaption>${escapeHtml(`${view.name}: ${words(region)} (${how})`)}</figcaption></figure>`,
          ]
        : [],
    );
  return `<table><tr><th>Drawn from ${views.length} sides</th><th class="n">ΔE, result</th><th class="n">likeness</th><th>Largest place</th><th class="n">ΔE, as drawn</th><th>Largest place</th></tr>${rows.join('')}</table>${materialsHtml(views)}${places.length ? `<div class="places">${places.join('')}</div>` : ''}`;
}
