import { defaultRecipe, type Recipe } from '@dimetra/core';
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
