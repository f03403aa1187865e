import type { Document } from '@gltf-transform/core';
import { readDossier } from '../character/index.ts';
import {
  defaultRecipe,
  differences,
  differenceWords,
  type Recipe,
  recipeOf,
  type SharedRecipe,
} from '../recipe/index.ts';
import { vrmMetaOf } from '../targets/index.ts';

/** What somebody decided of a conversion: all that its recipe says otherwise than the target by itself. */
export interface Decided {
  /** Who asked for it, where somebody said. */
  by?: string;
  /** The shared recipe that it follows. */
  recipe?: { id: string; title: string; version: number };
  settings: {
    /** Title of the step. */
    where: string;
    what: string;
    /** Of this character alone, beyond the shared recipe. */
    own: boolean;
  }[];
}

/** Who decides, and what is followed: part of the input, since the report tells it. */
export interface Deciding {
  by?: string;
  follows?: SharedRecipe | null;
}

export function decidedOf(recipe: Recipe, { by, follows }: Deciding = {}): Decided {
  const words = (from: Recipe) => differences(from, recipe).map(differenceWords),
    own = new Set(follows ? words(recipeOf(follows)).map(({ where, what }) => `${where}\n${what}`) : []),
    all = words(defaultRecipe()).map(({ where, what }) => ({
      where,
      what,
      own: !follows || own.has(`${where}\n${what}`),
    })),
    // What the shared recipe says and this character takes back is told too.
    back = follows
      ? words(recipeOf(follows)).flatMap((row) =>
          all.some(({ where, what }) => where === row.where && what === row.what) ? [] : [{ ...row, own: true }],
        )
      : [];
  return {
    ...(by && { by }),
    ...(follows && { recipe: { id: follows.id, title: follows.title, version: follows.version } }),
    settings: [...all, ...back],
  };
}

/** What came with a figure about who made it and what others may do with it, line by line; empty where nothing did. */
export function licenceOf(document: Document): string[] {
  const { origin, vrm } = readDossier(document),
    { copyright } = (origin ?? {}) as { copyright?: string },
    said = vrm?.meta ? vrmMetaOf(vrm.meta) : {},
    lines: [string, unknown][] = [
      ['Copyright', copyright ?? said.copyrightInformation],
      ['Authors', said.authors?.join(', ')],
      ['Contact', said.contactInformation],
      ['Licence', said.otherLicenseUrl],
      ['Worn by', said.avatarPermission],
      ['Used commercially', said.commercialUsage],
      ['Changed by others', said.modification],
      ['Credit', said.creditNotation],
    ];
  return lines.flatMap(([name, value]) => (typeof value === 'string' && value ? [`${name}: ${value}`] : []));
}
