import { differences, recipeOf, type SharedRecipe } from '@dimetra/core';
import type { Follows, SharedRecipeRow } from '@dimetra/contract';
import { and, asc, desc, eq, isNotNull, sql } from 'drizzle-orm';
import type { Database } from './client.ts';
import { conversion, sharedRecipe } from './schema.ts';

/** Shared recipes by title, with all versions and who follows them. */
export async function listRecipes(db: Database): Promise<SharedRecipeRow[]> {
  const rows = await db.select().from(sharedRecipe).orderBy(sharedRecipe.id, asc(sharedRecipe.version)),
    following = await db
      .select({
        conversionId: conversion.id,
        characterId: conversion.characterId,
        targetId: conversion.targetId,
        follows: conversion.follows,
      })
      .from(conversion)
      .where(isNotNull(conversion.follows)),
    byId = new Map<string, typeof rows>();
  for (const row of rows) byId.set(row.id, [...(byId.get(row.id) ?? []), row]);
  return [...byId.values()]
    .map((versions) => {
      const last = versions[versions.length - 1];
      return {
        latest: last.data,
        keptAt: last.createdAt.toISOString(),
        versions: versions.map(({ data }) => data),
        followers: following.flatMap(({ follows, ...row }) =>
          follows?.id === last.id ? [{ ...row, version: follows.version }] : [],
        ),
      };
    })
    .sort((a, b) => a.latest.title.localeCompare(b.latest.title, 'en') || (a.latest.id < b.latest.id ? -1 : 1));
}

/** Keeps a recipe as the next version of its id. One that says the same as the newest is that. @returns it, and whether it is new */
export async function keepRecipe(db: Database, given: SharedRecipe): Promise<{ kept: SharedRecipe; made: boolean }> {
  return db.transaction(async (tx) => {
    // Two who keep at once get two versions.
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext(${`shared recipe ${given.id}`}))`);
    const [last] = await tx
      .select()
      .from(sharedRecipe)
      .where(eq(sharedRecipe.id, given.id))
      .orderBy(desc(sharedRecipe.version))
      .limit(1);
    if (last && saysTheSame(last.data, given)) return { kept: last.data, made: false };
    const kept = { ...given, version: (last?.version ?? 0) + 1 };
    await tx.insert(sharedRecipe).values({ id: kept.id, version: kept.version, data: kept });
    return { kept, made: true };
  });
}

function saysTheSame(a: SharedRecipe, b: SharedRecipe): boolean {
  if (a.title !== b.title || a.note !== b.note || a.target !== b.target) return false;
  return !differences(recipeOf(a), recipeOf(b)).length;
}

/** @returns false where there was none */
export async function removeRecipe(db: Database, id: string): Promise<boolean> {
  return db.transaction(async (tx) => {
    const gone = await tx.delete(sharedRecipe).where(eq(sharedRecipe.id, id)).returning();
    if (!gone.length) return false;
    await tx.update(conversion).set({ follows: null }).where(sql`${conversion.follows} ->> 'id' = ${id}`);
    return true;
  });
}

/** A version as it was kept; nothing where it was removed. */
export async function findRecipe(db: Database, { id, version }: Follows): Promise<SharedRecipe | undefined> {
  const [row] = await db
    .select({ data: sharedRecipe.data })
    .from(sharedRecipe)
    .where(and(eq(sharedRecipe.id, id), eq(sharedRecipe.version, version)));
  return row?.data;
}
