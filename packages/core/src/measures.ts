/** What steps measure: by code, the words for it and its unit. Readers ask for the code; words may change. */
const MEASURES = {
  joints: ['joints', ''],
  'joints-seen': ['joints seen in the shape', ''],
  'joints-by-proportion': ['joints by proportion', ''],
  'like-a-person': ['like one standing person', '%'],
  'arms-below-straight-out': ['arms below straight out', '°'],
  'largest-turn': ['largest turn', '°'],
  'joints-turned': ['joints turned', ''],
  'off-in-motion': ['off in the range of motion', 'mm'],
  'materials-treated': ['materials treated', ''],
  'features-folded': ['features folded or taken out', ''],
  'maps-turned': ['maps turned or inverted', ''],
  'eyes-as-large': ['size of the figure’s eyes', '%'],
  'bite-as-wide': ['width of the figure’s bite', '%'],
  'materials-packed': ['materials whose channels were packed otherwise', ''],
  'channels-made': ['channels made from other maps', ''],
  'detail-maps': ['maps of fine detail', ''],
  'detail-of-finer': ['directions of the finer model off the mesh, mean', '°'],
  'finer-lies-off': ['finer model lies off by at most', 'mm'],
  'detail-missing': ['detail maps without a counterpart', '%'],
  'blended-materials': ['blended materials', ''],
  'cut-out-materials': ['cut-out materials', ''],
  'eye-layers': ['layers made for the eyes', ''],
  'soft-edges': ['parts with a soft edge', ''],
  'triangles-ordered': ['triangles put in order', ''],
  'kinds-said': ['materials said to be something else', ''],
  'broken-binds': ['broken binds', ''],
  'vertices-without-weight': ['vertices without weight', ''],
  'weights-across-the-middle': ['weights across the middle', ''],
  'stray-weights': ['stray weights', ''],
  'vertices-mirrored': ['vertices mirrored', ''],
  'parts-bound': ['parts bound', ''],
  'skeleton-scale': ['scale of the skeleton', '×'],
  'arms-raised': ['arms raised', '°'],
  'vertices-evened-out': ['vertices evened out where bending tore', ''],
  'edges-stretched': ['edges over twice as long in the worst pose', '%'],
  'parts-given-weights': ['parts given weights', ''],
  'points-matched': ['points on the other surface', ''],
  'points-filled': ['points filled between', ''],
  influences: ['influences', ''],
  'vertices-over-the-limit': ['vertices over the limit', ''],
  'largest-shift': ['largest shift in poses', 'mm'],
  'rms-shift': ['RMS shift in poses', 'mm'],
  'rms-shift-unfitted': ['RMS shift before fitting', 'mm'],
  'materials-by-tile': ['materials by tile', ''],
  parts: ['parts', ''],
  'triangles-reassigned': ['triangles in another material', ''],
  'corners-welded': ['corners welded', ''],
  height: ['height', 'cm'],
  'lowest-point': ['lowest point', 'cm'],
  'maps-placed': ['maps put in place', ''],
  'images-without-a-place': ['images without a place', ''],
  'texture-memory': ['texture memory', 'MB'],
  'maps-resized': ['maps resized', ''],
  'morph-targets': ['morph targets', ''],
  'morph-memory': ['memory of morphs', 'MB'],
  'vertices-moved-at-rest': ['vertices moved at rest', ''],
  'largest-movement': ['largest movement', 'mm'],
  expressions: ['expressions of the set', ''],
  'morphs-carried': ['morphs carried along', ''],
  'parts-carried': ['parts that go along', ''],
  'bones-drawn-out': ['length of bones', '×'],
  'morphs-renamed': ['morphs called otherwise', ''],
  'people-mixed': ['people in the mix', ''],
  'narrowest-border': ['narrowest border between regions', 'cm'],
  'strain-at-borders': ['edges at borders off the mix', '%'],
  'colour-maps-mixed': ['colour maps mixed', ''],
  'joints-refitted': ['joints that went along', ''],
  'largest-joint-shift': ['shift', 'mm'],
  'vertices-paired': ['vertices with a partner on the other side', '%'],
  asymmetry: ['asymmetry at rest', 'mm'],
  'off-the-surface': ['off the old surface, RMS', 'mm'],
  'off-the-surface-99': ['off the old surface, 99 % within', 'mm'],
  'surface-not-reached': ['old surface off the new one, RMS', 'mm'],
  'without-counterpart': ['points without a counterpart', ''],
  'bends-off-carried': ['off in poses with weights carried over', 'mm'],
  'bends-off-own': ['off in poses with the figure’s weights', 'mm'],
  'figure-morphs': ['morphs of the figure beside them', ''],
  'pins-held': ['pins held', ''],
  'off-the-pins': ['off the pins, RMS', 'mm'],
  'curves-matched': ['curves that both have', ''],
  'faces-turned': ['faces turned over', ''],
  'maps-laid-out': ['maps laid out anew', ''],
  'sides-evened': ['moved for both sides to be alike', 'mm'],
  'vertex-colors-carried': ['vertices with colours', ''],
  triangles: ['triangles', ''],
  vertices: ['vertices', ''],
} as const satisfies Record<string, readonly [name: string, unit: string]>;
export type MeasureCode = keyof typeof MEASURES;

/** A number that a step changed: source beside result. */
export interface Measure {
  code: MeasureCode;
  /** The part, joint or map it is about; of the whole character where it isn't said. */
  of?: string;
  /** For people: made from the code and what it is about. */
  name: string;
  unit: string;
  source: number;
  result: number;
}

export function measure(code: MeasureCode, source: number, result: number, of?: string): Measure {
  const [name, unit] = MEASURES[code];
  return { code, ...(of === undefined ? { name } : { of, name: `${name} of ${of}` }), unit, source, result };
}

/** The number with this code, of the whole character or of one thing; what was kept before measures had codes is known by its words. */
export const measureOf = <M extends { code?: string; of?: string; name: string }>(
  measures: readonly M[] | undefined,
  code: MeasureCode,
  of?: string,
): M | undefined =>
  measures?.find((entry) =>
    entry.code ? entry.code === code && entry.of === of : entry.name === measure(code, 0, 0, of).name,
  );
