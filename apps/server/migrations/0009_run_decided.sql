ALTER TABLE "run" ADD COLUMN "follows" jsonb;--> statement-breakpoint
ALTER TABLE "run" ADD COLUMN "by" text;