CREATE TABLE "kept_use" (
	"key" text NOT NULL,
	"character_id" uuid NOT NULL,
	"used_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "kept_use_key_character_id_pk" PRIMARY KEY("key","character_id")
);
--> statement-breakpoint
ALTER TABLE "blob_ref" ADD COLUMN "created_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "kept_use" ADD CONSTRAINT "kept_use_character_id_character_id_fk" FOREIGN KEY ("character_id") REFERENCES "public"."character"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "kept_use_character" ON "kept_use" USING btree ("character_id");--> statement-breakpoint
CREATE INDEX "kept_use_used" ON "kept_use" USING btree ("used_at");