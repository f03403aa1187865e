import type { InferSelectModel } from 'drizzle-orm';
import type { Database } from './client.ts';
import { character, revision } from './schema.ts';

type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0];
type Revision = InferSelectModel<typeof revision>;

/** One character that was read from files that arrived. */
export interface Arrived {
  productionId: string;
  /** Free within the production. */
  name: string;
  files: readonly Omit<Revision['files'][number], 'used'>[];
  found: Pick<Revision, 'manifest' | 'summary' | 'findings'> & { used: readonly string[] };
}

/** Writes a character and, as its first revision, what arrived. Whoever calls claims the pieces for `revision:` and its id. */
export async function addCharacter(
  tx: Transaction,
  { productionId, name, files, found }: Arrived,
): Promise<{ id: string; revisionId: string }> {
  const [row] = await tx.insert(character).values({ productionId, name }).returning();
  const [first] = await tx
    .insert(revision)
    .values({
      characterId: row.id,
      number: 1,
      files: files.map((file) => ({ ...file, used: found.used.includes(file.path) })),
      manifest: found.manifest,
      summary: { ...found.summary, name },
      findings: found.findings,
    })
    .returning();
  return { id: row.id, revisionId: first.id };
}
