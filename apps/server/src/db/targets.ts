import type { Figure, Target } from '@dimetra/core';
import { eq } from 'drizzle-orm';
import type { Database } from './client.ts';
import { figure, target } from './schema.ts';

export const listTargets = (db: Database) => db.select().from(target).orderBy(target.createdAt, target.id);

export async function findTarget(db: Database, id: string) {
  const [row] = await db.select().from(target).where(eq(target.id, id));
  return row;
}

/** @returns false where there is one of that id already */
export const addTarget = async (db: Database, data: Target): Promise<boolean> =>
  (await db.insert(target).values({ id: data.id, data }).onConflictDoNothing().returning()).length > 0;

export async function saveTarget(db: Database, data: Target) {
  const [row] = await db.update(target).set({ data }).where(eq(target.id, data.id)).returning();
  return row;
}

export const removeTarget = (db: Database, id: string) => db.delete(target).where(eq(target.id, id));

/** Figures learned or imported here. */
export const listOwnFigures = async (db: Database): Promise<Figure[]> =>
  (await db.select().from(figure).orderBy(figure.createdAt)).map((row) => row.data);

export const addFigure = (db: Database, data: Figure) => db.insert(figure).values({ id: data.id, data });

/** Whether there is such a figure of our own to change. */
export const saveFigure = async (db: Database, data: Figure): Promise<boolean> =>
  (await db.update(figure).set({ data }).where(eq(figure.id, data.id)).returning()).length > 0;

export const removeFigure = (db: Database, id: string) => db.delete(figure).where(eq(figure.id, id));

/** A target that uses a figure; none where nobody does. */
export const userOfFigure = async (db: Database, id: string) =>
  (await db.select().from(target)).find((row) => row.data.joints.figure === id);
