UPDATE "run" SET "state" = 'cancelled', "finished_at" = now() WHERE "state" in ('queued', 'running') AND "id" NOT IN (SELECT DISTINCT ON ("conversion_id") "id" FROM "run" WHERE "state" in ('queued', 'running') ORDER BY "conversion_id", "created_at" DESC);--> statement-breakpoint
CREATE UNIQUE INDEX "run_active" ON "run" USING btree ("conversion_id") WHERE "run"."state" in ('queued', 'running');
