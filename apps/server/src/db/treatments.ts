import { parseTreatment, type Treatment } from '@dimetra/core';
import { eq } from 'drizzle-orm';
import type { Database } from './client.ts';
import { treatment } from './schema.ts';

/** Treatments kept for all characters, oldest first; what an older program kept is read as this one understands it. */
export const listTreatments = async (db: Database): Promise<Treatment[]> =>
  (await db.select().from(treatment).orderBy(treatment.createdAt, treatment.id)).map((row) => parseTreatment(row.data));

/** Keeps a treatment, in the place of the one of its id where there is one. */
export async function keepTreatment(db: Database, data: Treatment): Promise<void> {
  await db.insert(treatment).values({ id: data.id, data }).onConflictDoUpdate({ target: treatment.id, set: { data } });
}

/** @returns false where there was none */
export const removeTreatment = async (db: Database, id: string): Promise<boolean> =>
  (await db.delete(treatment).where(eq(treatment.id, id)).returning()).length > 0;
