import * as v from 'valibot';
import type { InputFile } from '../formats/index.ts';
import { ProblemError } from '../problem.ts';

const size = v.pipe(v.number(), v.finite());
const count = v.pipe(v.number(), v.integer(), v.minValue(0));

const Stated = v.object({
  sizeMm: v.nullable(v.tuple([size, size, size])),
  morphs: v.array(v.object({ name: v.string(), vertices: count, farthestMm: size, undecided: v.optional(count) })),
});
const joint = { name: v.string(), parent: v.nullable(v.string()) };
const contents = {
  parts: v.array(
    v.looseObject({
      name: v.string(),
      material: v.nullable(v.string()),
      triangles: count,
      vertices: count,
      morphTargets: v.array(v.string()),
    }),
  ),
  materials: v.array(
    v.looseObject({
      name: v.string(),
      alphaMode: v.string(),
      doubleSided: v.boolean(),
      maps: v.record(v.string(), v.looseObject({ width: count, height: count })),
    }),
  ),
  textures: v.array(v.looseObject({ name: v.string(), width: count, height: count, mimeType: v.string() })),
  morphTargets: v.array(v.string()),
  clips: v.array(v.looseObject({ name: v.string(), channels: count })),
};
/** Only what is held against the model; a report may say more. */
const ReportSchema = v.looseObject({
  schema: v.literal(1),
  stated: Stated,
  result: v.looseObject({ ...contents, joints: v.array(v.looseObject({ ...joint, role: v.string() })) }),
  /** Where the package holds several. */
  models: v.optional(
    v.pipe(
      v.array(
        v.looseObject({
          path: v.string(),
          level: count,
          part: v.optional(v.string()),
          inside: v.optional(v.literal(true)),
          stated: Stated,
          contents: v.looseObject({ ...contents, joints: v.array(v.looseObject(joint)) }),
        }),
      ),
      v.minLength(1),
      v.maxLength(10_000),
    ),
  ),
});
export type StatedReport = v.InferOutput<typeof ReportSchema>;

/** The report of ours that lies beside a model; null where none does. @throws ProblemError check.broken-report */
export function reportIn(files: readonly InputFile[]): StatedReport | null {
  const file = files.find((entry) => entry.path === 'report.json');
  if (!file) return null;
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder().decode(file.bytes));
  } catch (error) {
    throw new ProblemError(
      'check.broken-report',
      `“report.json” is not valid JSON: ${(error as Error).message}. Take it away to judge the model alone.`,
      file.path,
    );
  }
  const parsed = v.safeParse(ReportSchema, value);
  if (parsed.success) return parsed.output;
  const [issue] = parsed.issues;
  throw new ProblemError(
    'check.broken-report',
    `“report.json” is no report that can be held against the model: ${issue.path?.map((item) => String(item.key)).join('.') || 'the whole'} should be ${issue.expected ?? issue.message}, and is ${issue.received}. Take it away to judge the model alone.`,
    file.path,
  );
}
