import { type Carried, carryNames, defaultRecipe, type Recipe, type SourceChanges } from '@dimetra/core';
import { and, desc, eq, sql } from 'drizzle-orm';
import type { Follows } from '@dimetra/contract';
import type { Database } from './client.ts';
import { conversion, revision, target } from './schema.ts';

export async function findConversion(db: Database, id: string) {
  const [row] = await db.select().from(conversion).where(eq(conversion.id, id));
  return row;
}

/** The conversion of a character for a target, made with every step switched on where there is none. */
export async function conversionOf(db: Database, pair: { characterId: string; targetId: string }) {
  await db
    .insert(conversion)
    .values({ ...pair, recipe: defaultRecipe() })
    .onConflictDoNothing();
  const [row] = await db
    .select()
    .from(conversion)
    .where(and(eq(conversion.characterId, pair.characterId), eq(conversion.targetId, pair.targetId)));
  return row;
}

/** Saves a recipe that was made from this version of it. @returns nothing where there is a newer one, or no such conversion */
export async function saveRecipe(
  db: Database,
  id: string,
  version: number,
  recipe: Recipe,
  /** What it follows from now on; left out, that stays. */
  follows?: Follows | null,
) {
  const [row] = await db
    .update(conversion)
    .set({
      recipe,
      ...(follows !== undefined && { follows }),
      version: sql`${conversion.version} + 1`,
      updatedAt: new Date(),
    })
    .where(and(eq(conversion.id, id), eq(conversion.version, version)))
    .returning();
  return row;
}

/** Takes what recipes of a character say along to a new version of its source: names that only changed. @returns what was carried, by target */
export async function carryRecipes(
  db: Pick<Database, 'select' | 'update'>,
  characterId: string,
  changes: SourceChanges,
): Promise<{ targetId: string; carried: Carried[] }[]> {
  const out: { targetId: string; carried: Carried[] }[] = [];
  for (const row of await db.select().from(conversion).where(eq(conversion.characterId, characterId))) {
    const { recipe, carried } = carryNames(row.recipe, changes);
    if (!carried.length) continue;
    await db
      .update(conversion)
      .set({ recipe, version: sql`${conversion.version} + 1`, updatedAt: new Date() })
      .where(eq(conversion.id, row.id));
    out.push({ targetId: row.targetId, carried });
  }
  return out;
}

/** A conversion with its target and its character's newest revision. */
export async function conversionWithAim(db: Database, id: string) {
  const [row] = await db
    .select({ conversion, target: target.data, revisionId: revision.id, summary: revision.summary })
    .from(conversion)
    .innerJoin(target, eq(conversion.targetId, target.id))
    .innerJoin(revision, eq(revision.characterId, conversion.characterId))
    .where(eq(conversion.id, id))
    .orderBy(desc(revision.number))
    .limit(1);
  return row;
}
