import { ProblemError, verdictOf } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { and, desc, eq, sql } from 'drizzle-orm';
import { raw, Router } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { addCharacter } from '../db/first-revision.ts';
import { blobRef, character, conversion, production, revision, run } from '../db/schema.ts';
import type { ReadFiles } from '../demo.ts';
import { receiveFiles, type UploadLimits } from './uploads.ts';
import { body, idOf, notFound } from './problems.ts';
import { RenameSchema } from './schemas.ts';

export function characterRoutes(
  connection: Connection,
  blobs: BlobStore,
  read: ReadFiles,
  limits: UploadLimits,
  announce: (event: object) => void,
): Router {
  const { db } = connection;
  const router = Router();

  router.get('/production', async (_request, response) => {
    const [row] = await db.select().from(production).limit(1);
    response.json(row);
  });

  router.get('/characters', async (_request, response) => {
    const rows = await db
      .select({
        id: character.id,
        name: character.name,
        picture: character.picture,
        createdAt: character.createdAt,
        revisionId: revision.id,
        revision: revision.number,
        summary: revision.summary,
        findings: revision.findings,
      })
      .from(character)
      .innerJoin(
        revision,
        and(
          eq(revision.characterId, character.id),
          eq(revision.number, sql`(select max(number) from revision r where r.character_id = ${character.id})`),
        ),
      )
      .orderBy(character.createdAt);
    const states = await db.execute<{
      character_id: string;
      target_id: string;
      state: string;
      conversion_id: string;
      checks: { ok: boolean; blocking: boolean }[] | null;
    }>(sql`
      select distinct on (c.id) c.character_id, c.target_id, c.id as conversion_id, r.state, (select jsonb_agg(jsonb_build_object('ok', x->'ok', 'blocking', x->'blocking')) from jsonb_array_elements(r.checks) x) as checks
      from conversion c left join run r on r.conversion_id = c.id order by c.id, r.created_at desc`);
    response.json(
      rows.map((row) => ({
        id: row.id,
        name: row.name,
        picture: row.picture,
        createdAt: row.createdAt,
        revisionId: row.revisionId,
        revision: row.revision,
        triangles: row.summary.triangles,
        heightCm: row.summary.heightCm,
        joints: row.summary.joints.length,
        morphs: row.summary.morphTargets.length,
        materials: row.summary.materials.length,
        findings: row.findings.length,
        conversions: states.rows
          .filter((state) => state.character_id === row.id)
          .map((state) => ({
            id: state.conversion_id,
            targetId: state.target_id,
            state: state.state,
            verdict: state.checks && verdictOf(state.checks),
          })),
      })),
    );
  });

  router.post('/characters', async (request, response) => {
    const owner = `upload:${crypto.randomUUID()}`;
    try {
      const files = await receiveFiles(request, blobs, owner, limits);
      const { characters, failed } = await read(files, owner);
      const made = await db.transaction(async (tx) => {
        const [prod] = await tx.select().from(production).limit(1);
        const out: { id: string; name: string; revisionId: string }[] = [];
        for (const found of characters) {
          const name = await freeName(
            async (wanted) =>
              (
                await tx
                  .select()
                  .from(character)
                  .where(and(eq(character.productionId, prod.id), eq(character.name, wanted)))
              ).length === 0,
            niceName(found.name),
          );
          const { id, revisionId } = await addCharacter(tx, { productionId: prod.id, name, files, found });
          // Each keeps its own pieces and what arrived, so that removing one leaves the others whole.
          const needed = [...new Set([...found.pieces, ...files.map((file) => file.sha256)])];
          for (let i = 0; i < needed.length; i += 1000)
            await tx
              .insert(blobRef)
              .values(needed.slice(i, i + 1000).map((hash) => ({ owner: `revision:${revisionId}`, sha256: hash })))
              .onConflictDoNothing();
          out.push({ id, name, revisionId });
        }
        return out;
      });
      announce({ type: 'characters' });
      response.status(201).json({ ...made[0], others: made.slice(1), failed });
    } finally {
      await blobs.release(owner).catch(() => {});
    }
  });

  router.get('/characters/:id', async (request, response) => {
    const id = idOf(request, 'This character');
    const [row] = await db.select().from(character).where(eq(character.id, id));
    if (!row) throw notFound('This character');
    const [latest] = await db
      .select({
        id: revision.id,
        number: revision.number,
        files: revision.files,
        summary: revision.summary,
        findings: revision.findings,
        createdAt: revision.createdAt,
      })
      .from(revision)
      .where(eq(revision.characterId, id))
      .orderBy(desc(revision.number))
      .limit(1);
    response.json({ ...row, revision: latest });
  });
  router.patch('/characters/:id', async (request, response) => {
    const { name } = body(request, RenameSchema);
    const id = idOf(request, 'This character');
    const [other] = await db.select().from(character).where(eq(character.name, name));
    if (other && other.id !== id)
      throw new ProblemError('conflict', `Another character is called “${name}” already.`, 'name');
    const [row] = await db.update(character).set({ name }).where(eq(character.id, id)).returning();
    if (!row) throw notFound('This character');
    announce({ type: 'characters' });
    response.json(row);
  });
  router.delete('/characters/:id', async (request, response) => {
    const id = idOf(request, 'This character');
    const owners = [
      `picture:${id}`,
      ...(await db.select({ id: revision.id }).from(revision).where(eq(revision.characterId, id))).map(
        (row) => `revision:${row.id}`,
      ),
      ...(
        await db
          .select({ id: run.id })
          .from(run)
          .innerJoin(conversion, eq(run.conversionId, conversion.id))
          .where(eq(conversion.characterId, id))
      ).map((row) => `run:${row.id}`),
    ];
    await db.delete(character).where(eq(character.id, id));
    for (const owner of owners) await blobs.release(owner);
    announce({ type: 'characters' });
    response.status(204).end();
  });

  router.put('/characters/:id/picture', raw({ type: 'image/png', limit: '4mb' }), async (request, response) => {
    const id = idOf(request, 'This character');
    const bytes = Buffer.isBuffer(request.body) ? new Uint8Array(request.body) : new Uint8Array(0);
    if (bytes.length < 8 || bytes[0] !== 0x89 || bytes[1] !== 0x50)
      throw new ProblemError('picture.not-png', 'A picture must be a PNG image.');
    const hash = sha256(bytes);
    await blobs.release(`picture:${id}`);
    await blobs.keep(`picture:${id}`, [[hash, bytes]], 'image/png');
    const [row] = await db
      .update(character)
      .set({ picture: hash })
      .where(eq(character.id, id))
      .returning({ id: character.id });
    if (!row) {
      await blobs.release(`picture:${id}`);
      throw notFound('This character');
    }
    response.status(204).end();
  });
  router.get('/characters/:id/picture', async (request, response) => {
    const [row] = await db
      .select({ picture: character.picture })
      .from(character)
      .where(eq(character.id, idOf(request, 'This character')));
    const bytes = row?.picture ? await blobs.read(row.picture) : null;
    if (!bytes) throw notFound('This picture');
    response.set('Cache-Control', 'private, max-age=31536000, immutable').type('png').send(Buffer.from(bytes));
  });

  router.get('/revisions/:id/manifest', async (request, response) => {
    const [row] = await db
      .select({ manifest: revision.manifest })
      .from(revision)
      .where(eq(revision.id, idOf(request, 'This revision')));
    if (!row) throw notFound('This revision');
    response.set('Cache-Control', 'private, max-age=31536000, immutable').json(row.manifest);
  });
  return router;
}

const niceName = (file: string): string => {
  const text = file.replace(/[_-]+/g, ' ').replace(/\s+/g, ' ').trim().slice(0, 100);
  return text ? text[0].toUpperCase() + text.slice(1) : 'Character';
};

async function freeName(isFree: (name: string) => Promise<boolean>, wanted: string): Promise<string> {
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted} ${n}`;
    if (await isFree(name)) return name;
  }
}
