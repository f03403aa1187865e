import type { Stored } from '../../character/index.ts';
import { MOST_LEVELS } from '../../targets/index.ts';
import type { Finding } from '../../problem.ts';
import { newPrim, USD_LIMITS, type UsdArc, type UsdAttribute, type UsdLayer, type UsdPrim } from './layer.ts';

/** Finds a layer that another one names. @returns null where it did not arrive */
export type LayerFinder = (asset: string, from: UsdLayer) => UsdLayer | null;

/**
 * One stage from a layer and all it names, strongest opinion first: own, inherited, variants, referenced, paid-in,
 * specialised (the order of the AOUSD core specification, without relocates and value clips). Paths in what is brought
 * in are led to where it lands.
 * @returns the root of the composed prims; children and opinions are copies
 */
export class UsdComposer {
  private made = 0;
  private readonly missing = new Set<string>();
  /** Levels of detail behind the nearest, where some prim comes in several. */
  levels: NonNullable<Stored['levels']> = [];
  constructor(
    private readonly find: LayerFinder,
    private readonly findings: Finding[],
    /** Which level of detail, of prims that come in several. */
    private readonly level?: number,
  ) {}

  stage(layer: UsdLayer): UsdPrim {
    const root = this.stack(layer, 0);
    return this.resolve(root, '', layer, root, []);
  }

  /** A layer over its sublayers, as one. */
  private stack(layer: UsdLayer, depth: number): UsdPrim {
    const root = copyPrim(layer.root, sameLayer(layer));
    if (depth > 32) return root;
    for (const asset of layer.subLayers) {
      const below = this.layer({ asset, prim: '' }, layer);
      if (!below) continue;
      weaken(root, this.stack(below, depth + 1));
      for (const [key, value] of below.meta) if (!layer.meta.has(key)) layer.meta.set(key, value);
    }
    return root;
  }

  private layer(arc: UsdArc, from: UsdLayer): UsdLayer | null {
    const found = this.find(arc.asset, from);
    if (!found && !this.missing.has(arc.asset)) {
      this.missing.add(arc.asset);
      this.findings.push({
        code: 'usd.missing-layer',
        severity: 'error',
        message: `“${arc.asset}”, which “${from.path}” brings in, did not arrive. What it holds is missing.`,
        where: arc.asset,
      });
    }
    return found;
  }

  /** @param prim with the opinions of its own layer stack @param path where it stands in that stack */
  private resolve(prim: UsdPrim, path: string, layer: UsdLayer, root: UsdPrim, chain: readonly string[]): UsdPrim {
    if (++this.made > USD_LIMITS.prims) {
      this.circle(layer, path);
      return prim;
    }
    let waiting = true;
    // Files and prims on the way here: one that comes again would come for ever.
    const known = [...chain];
    // What an arc brings may bring arcs of its own.
    for (let round = 0; waiting && round < 64; round++) {
      waiting = false;
      const { arcs, variants, selection } = prim;
      const inherits = arcs.inherits,
        references = arcs.references,
        payloads = arcs.payloads,
        specializes = arcs.specializes;
      prim.arcs = { references: [], payloads: [], inherits: [], specializes: [] };
      prim.variants = new Map();
      for (const target of inherits)
        waiting = this.bring(prim, path, { asset: '', prim: target }, layer, root, known) || waiting;
      for (const [set, choices] of variants) {
        const names = [...choices.keys()],
          ofLevel =
            isLevels(set) && this.level !== undefined ? names[Math.min(this.level, names.length - 1)] : undefined,
          wanted = ofLevel ?? selection.get(set) ?? names[0];
        if (isLevels(set) && !this.levels.length)
          this.levels = [...choices.values()].slice(1, MOST_LEVELS + 1).map(levelIn);
        const chosen = choices.get(wanted);
        if (choices.size > 1)
          this.findings.push({
            code: 'usd.variants',
            severity: 'info',
            message: `“${prim.name || layer.path}” comes in ${choices.size} kinds of “${set}” (${[...choices.keys()].slice(0, 6).join(', ')}); “${wanted}” was taken.`,
            where: path || layer.path,
            measured: choices.size,
          });
        if (chosen) {
          weaken(prim, copyPrim(chosen, sameLayer(layer)));
          waiting = true;
        }
      }
      for (const arc of references) waiting = this.bring(prim, path, arc, layer, root, known) || waiting;
      for (const arc of payloads) waiting = this.bring(prim, path, arc, layer, root, known) || waiting;
      for (const target of specializes)
        waiting = this.bring(prim, path, { asset: '', prim: target }, layer, root, known) || waiting;
    }
    for (const [name, child] of prim.children)
      prim.children.set(name, this.resolve(child, `${path}/${name}`, layer, root, known));
    return prim;
  }

  private circle(layer: UsdLayer, path: string): void {
    if (this.missing.has('*')) return;
    this.missing.add('*');
    this.findings.push({
      code: 'usd.circle',
      severity: 'error',
      message: `“${layer.path}” brings itself in again and again, or all together holds more than ${USD_LIMITS.prims} prims; what lay deeper was left out.`,
      where: path || layer.path,
    });
  }

  private bring(prim: UsdPrim, path: string, arc: UsdArc, layer: UsdLayer, root: UsdPrim, known: string[]): boolean {
    if (!arc.asset) {
      const source = primOf(root, arc.prim);
      const key = `${layer.path}<${arc.prim}>`;
      if (!source) return false;
      if (arc.prim === path || path.startsWith(`${arc.prim}/`) || known.filter((one) => one === key).length >= NESTED) {
        this.circle(layer, path);
        return false;
      }
      known.push(key);
      weaken(prim, copyPrim(source, { from: arc.prim, to: path, layer }));
      return true;
    }
    const other = this.layer(arc, layer);
    if (!other) return false;
    const stacked = this.stack(other, 0);
    const main = arc.prim || `/${String(other.meta.get('defaultPrim') ?? [...stacked.children.keys()][0] ?? '')}`;
    const source = primOf(stacked, main);
    if (!source) return false;
    const key = `${other.path}<${main}>`;
    if (known.includes(key)) {
      this.circle(other, path);
      return false;
    }
    // Composed in its own file first, so that its inner references find their targets.
    const done = this.resolve(source, main, other, stacked, [...known, key]);
    weaken(prim, copyPrim(done, { from: main, to: path, layer: other }));
    return true;
  }
}

/** A set of variants that are levels of detail: the trade writes it in several ways. */
const isLevels = (set: string): boolean => /^lods?$|^level_?of_?details?$/i.test(set);

/** What a variant that is a level brings in. */
function levelIn(variant: UsdPrim): NonNullable<Stored['levels']>[number] {
  const said = variant.meta.get('customData'),
    fromM = said instanceof Map ? Number(said.get('fromMetres')) : Number.NaN,
    out = { triangles: 0, morphs: false };
  const visit = (prim: UsdPrim): void => {
    const counts = prim.attributes.get('faceVertexCounts')?.value;
    if (ArrayBuffer.isView(counts)) for (const count of counts) out.triangles += Math.max(0, count - 2);
    if (prim.type === 'BlendShape') out.morphs = true;
    for (const child of prim.children.values()) visit(child);
  };
  visit(variant);
  return { ...out, ...(fromM > 0 && { fromM }) };
}

/** How often one prim may be brought in along a branch: a class worn by a prim and again by one inside it is no circle. */
const NESTED = 4;

interface Mapping {
  from: string;
  to: string;
  layer: UsdLayer;
}
const sameLayer = (layer: UsdLayer): Mapping => ({ from: '', to: '', layer });

/** A prim at a path like `/World/Body`. */
export function primOf(root: UsdPrim, path: string): UsdPrim | null {
  let prim: UsdPrim | undefined = root;
  for (const name of path.split('/').filter(Boolean)) prim = prim?.children.get(name);
  return prim ?? null;
}

function copyPrim(prim: UsdPrim, map: Mapping): UsdPrim {
  const lead = (path: string) =>
    map.from !== map.to && (path === map.from || path.startsWith(`${map.from}/`) || path.startsWith(`${map.from}.`))
      ? map.to + path.slice(map.from.length)
      : path;
  const copy = newPrim(prim.name, prim.specifier, prim.type);
  copy.meta = new Map(prim.meta);
  copy.selection = new Map(prim.selection);
  copy.arcs = {
    references: prim.arcs.references.map((arc) => (arc.asset ? arc : { asset: '', prim: lead(arc.prim) })),
    payloads: prim.arcs.payloads,
    inherits: prim.arcs.inherits.map(lead),
    specializes: prim.arcs.specializes.map(lead),
  };
  for (const [name, attribute] of prim.attributes)
    copy.attributes.set(name, copyAttribute(attribute, lead, map.layer.path));
  for (const [name, targets] of prim.relations) copy.relations.set(name, targets.map(lead));
  for (const [name, child] of prim.children) copy.children.set(name, copyPrim(child, map));
  for (const [set, choices] of prim.variants)
    copy.variants.set(set, new Map([...choices].map(([name, choice]) => [name, copyPrim(choice, map)])));
  return copy;
}

function copyAttribute(attribute: UsdAttribute, lead: (path: string) => string, path: string): UsdAttribute {
  const copy = { ...attribute, connections: attribute.connections.map(lead), meta: new Map(attribute.meta) };
  // Image paths are meant from the file that names them.
  if (attribute.type === 'asset' && !copy.meta.has(FROM)) copy.meta.set(FROM, path);
  return copy;
}
/** Metadata under which an asset attribute carries the path of the layer that set it. */
export const FROM = 'dimetra:layer';

/** Adds the opinions of `weak` to `strong` wherever it has none. `weak` is used up. */
function weaken(strong: UsdPrim, weak: UsdPrim): void {
  if (strong.specifier === 'over') strong.specifier = weak.specifier;
  strong.type ||= weak.type;
  for (const [key, value] of weak.meta) if (!strong.meta.has(key)) strong.meta.set(key, value);
  for (const [key, value] of weak.selection) if (!strong.selection.has(key)) strong.selection.set(key, value);
  for (const key of ['references', 'payloads'] as const) strong.arcs[key] = [...strong.arcs[key], ...weak.arcs[key]];
  for (const key of ['inherits', 'specializes'] as const) strong.arcs[key] = [...strong.arcs[key], ...weak.arcs[key]];
  for (const [name, attribute] of weak.attributes) {
    const own = strong.attributes.get(name);
    if (!own) {
      strong.attributes.set(name, attribute);
      continue;
    }
    if (own.value === undefined && !own.samples && !own.connections.length) {
      own.value = attribute.value;
      own.samples = attribute.samples;
    }
    if (!own.connections.length && own.value === undefined) own.connections = attribute.connections;
    own.type ||= attribute.type;
    for (const [key, value] of attribute.meta) if (!own.meta.has(key)) own.meta.set(key, value);
  }
  for (const [name, targets] of weak.relations) if (!strong.relations.has(name)) strong.relations.set(name, targets);
  for (const [name, child] of weak.children) {
    const own = strong.children.get(name);
    if (own) weaken(own, child);
    else strong.children.set(name, child);
  }
  for (const [set, choices] of weak.variants) {
    const own = strong.variants.get(set);
    if (!own) {
      strong.variants.set(set, choices);
      continue;
    }
    for (const [name, choice] of choices) {
      const mine = own.get(name);
      if (mine) weaken(mine, choice);
      else own.set(name, choice);
    }
  }
}
