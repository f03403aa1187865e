import type { ExtensibleProperty } from '@gltf-transform/core';
import * as v from 'valibot';

const KEY = 'dimetra';

/** What we keep with a material or an image until delivery, under one key of its extras; each field apart. */
const OWN = {
  /** Material: channel that glTF has no place for → name of the texture. */
  maps: v.record(v.string(), v.string()),
  /** Material: 2 where it is drawn in two passes, a solid core and after it a soft edge, this one being the core; 1 where somebody said that it isn't. */
  passes: v.picklist([1, 2]),
  /** Material: which way its strands run in the map, degrees from u, and how much of it runs that way. */
  strands: v.object({ degrees: v.number(), coherence: v.number() }),
  /** Material: parameters by name that glTF has no place for; colours linear. */
  beyond: v.record(v.string(), v.union([v.number(), v.tuple([v.number(), v.number(), v.number()])])),
  /** Image: the path it arrived under, where it is stored as a piece. */
  file: v.string(),
  /** Image: arrived beside the model without being named by it. */
  loose: v.literal(true),
  /** Image: what is decided for it and not carried out yet. */
  operations: v.array(v.unknown()),
};
type Own = { [K in keyof typeof OWN]: v.InferOutput<(typeof OWN)[K]> };
/** Where characters that were stored before have it. */
const BEFORE: Partial<Record<keyof Own, string>> = {
  maps: 'dimetraMaps',
  file: 'dimetraFile',
  loose: 'dimetraLoose',
  operations: 'dimetraImage',
};

/** A key that nobody has where a field never stood elsewhere. */
const before = (field: keyof Own): string => BEFORE[field] ?? KEY;

type Extras = Record<string, unknown>;
const ours = (extras: Extras): Extras => (v.is(v.record(v.string(), v.unknown()), extras[KEY]) ? extras[KEY] : {});

/** A field of ours in extras; undefined where it isn't there or isn't what it should be. */
function ownIn<K extends keyof Own>(extras: Extras, field: K): Own[K] | undefined {
  const parsed = v.safeParse(OWN[field], ours(extras)[field] ?? extras[before(field)]);
  return parsed.success ? (parsed.output as Own[K]) : undefined;
}

/** Extras with a field of ours set, or without it; what others keep there stays. */
export function withOwn<K extends keyof Own>(extras: Extras, field: K, value: Own[K] | undefined): Extras {
  const { [KEY]: _, [before(field)]: __, ...others } = extras,
    { [field]: ___, ...left } = ours(extras),
    own = value === undefined ? left : { ...left, [field]: value };
  return Object.keys(own).length ? { ...others, [KEY]: own } : others;
}

export const ownOf = <K extends keyof Own>(property: ExtensibleProperty, field: K): Own[K] | undefined =>
  ownIn(property.getExtras(), field);

export function keepOwn<K extends keyof Own>(property: ExtensibleProperty, field: K, value: Own[K] | undefined): void {
  property.setExtras(withOwn(property.getExtras(), field, value));
}

/** Takes all that is ours out of extras. */
export function dropOwn(property: ExtensibleProperty): void {
  const names: readonly string[] = [KEY, ...Object.values(BEFORE)];
  property.setExtras(
    Object.fromEntries(Object.entries(property.getExtras()).filter(([name]) => !names.includes(name))),
  );
}
