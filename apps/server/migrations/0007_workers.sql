CREATE TABLE "program" (
	"id" integer PRIMARY KEY DEFAULT 1 NOT NULL,
	"stamp" text NOT NULL,
	"since" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "worker" (
	"id" uuid PRIMARY KEY DEFAULT gen_random_uuid() NOT NULL,
	"name" text NOT NULL,
	"pid" integer NOT NULL,
	"threads" integer NOT NULL,
	"memory_mb" integer NOT NULL,
	"started_at" timestamp with time zone DEFAULT now() NOT NULL,
	"heard_at" timestamp with time zone DEFAULT now() NOT NULL,
	"left_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "run" ADD COLUMN "worker_id" uuid;--> statement-breakpoint
ALTER TABLE "run" ADD CONSTRAINT "run_worker_id_worker_id_fk" FOREIGN KEY ("worker_id") REFERENCES "public"."worker"("id") ON DELETE set null ON UPDATE no action;