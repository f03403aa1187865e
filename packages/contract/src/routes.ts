import * as v from 'valibot';
import * as characters from './characters.ts';
import * as conversions from './conversions.ts';
import * as figures from './figures.ts';
import { ManifestSchema } from './results.ts';
import * as runs from './runs.ts';
import { StoredSchema } from './storage.ts';
import { WorkerRowSchema } from './workers.ts';
import * as recipes from './recipes.ts';
import * as targets from './targets.ts';
import { TreatmentSchema } from './treatments.ts';

export interface RouteContract {
  method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  /** As the server's router takes it: `:id` is a parameter. */
  path: string;
  summary: string;
  query?: v.GenericSchema;
  /** JSON, by schema, or another media type. */
  body?: v.GenericSchema | string;
  /** What an answer holds: JSON by schema, another media type, or nothing. */
  answer: v.GenericSchema | string | null;
  /** 200 where not given; more where it depends. */
  status?: readonly number[];
}
const MULTIPART = 'multipart/form-data',
  /** Newest first, fifty to a page. */
  PageQuery = v.object({ page: v.optional(v.pipe(v.string(), v.transform(Number), v.number(), v.minValue(1))) });

/** Everything the server answers to, under /api/v1. Routes are held to it by a test, answers while tests run. */
export const ROUTES: readonly RouteContract[] = [
  {
    method: 'get',
    path: '/health',
    summary: 'Whether the server and its database answer',
    answer: v.looseObject({ ok: v.boolean() }),
    status: [200, 503],
  },
  { method: 'get', path: '/openapi.json', summary: 'This description', answer: v.looseObject({ openapi: v.string() }) },
  {
    method: 'get',
    path: '/events',
    summary: 'Changes as server-sent events, each a JSON object with `type`',
    answer: 'text/event-stream',
  },
  {
    method: 'get',
    path: '/production',
    summary: 'The production that the cast belongs to',
    answer: characters.ProductionSchema,
  },

  {
    method: 'get',
    path: '/workers',
    summary: 'Processes that take runs, on this machine and others',
    answer: v.array(WorkerRowSchema),
  },
  { method: 'get', path: '/storage', summary: 'Bytes that are kept, and for what', answer: StoredSchema },
  {
    method: 'get',
    path: '/characters',
    summary: 'All characters, counted, with the state of their conversions',
    answer: v.array(characters.CharacterRowSchema),
  },
  {
    method: 'post',
    path: '/characters',
    summary: 'Upload files, a folder or an archive: a character of each model in it',
    body: MULTIPART,
    answer: characters.ArrivalSchema,
    status: [201],
  },
  {
    method: 'get',
    path: '/characters/:id',
    summary: 'One character with its inventory and findings',
    answer: characters.CharacterDetailSchema,
  },
  {
    method: 'patch',
    path: '/characters/:id',
    summary: 'Rename',
    body: characters.RenameSchema,
    answer: characters.RenamedSchema,
  },
  {
    method: 'delete',
    path: '/characters/:id',
    summary: 'Remove with everything made from it',
    answer: null,
    status: [204],
  },
  {
    method: 'put',
    path: '/characters/:id/picture',
    summary: 'Keep the picture that a page took of it',
    body: 'image/png',
    answer: null,
    status: [204],
  },
  { method: 'get', path: '/characters/:id/picture', summary: 'The picture of its card', answer: 'image/png' },
  {
    method: 'post',
    path: '/characters/:id/images',
    summary: 'Bring images in again, each by its name or one onto a material’s channel: a new revision',
    query: characters.SlotQuerySchema,
    body: MULTIPART,
    answer: characters.ImagesPlacedSchema,
    status: [200, 201],
  },
  {
    method: 'post',
    path: '/characters/:id/source',
    summary:
      'Bring in a new version of the character’s files: a new revision; recipes keep what they say, by name and place',
    body: MULTIPART,
    answer: characters.SourceTakenSchema,
    status: [201],
  },
  {
    method: 'post',
    path: '/characters/:id/revisions',
    summary: 'Go back to an earlier revision, as a new one',
    body: characters.GoBackSchema,
    answer: characters.RevisionMadeSchema,
    status: [201],
  },
  {
    method: 'get',
    path: '/revisions/:id/manifest',
    summary: 'The source document as a manifest of pieces',
    answer: ManifestSchema,
  },
  {
    method: 'post',
    path: '/pieces',
    summary:
      'Many pieces in one stream: for each its length (4 bytes, little endian; all ones where it is missing), then its bytes',
    body: characters.PiecesSchema,
    answer: 'application/octet-stream',
  },
  {
    method: 'get',
    path: '/images/:hash',
    summary: 'An image at preview size',
    query: characters.PreviewQuerySchema,
    answer: 'image/*',
  },

  {
    method: 'get',
    path: '/figures',
    summary: 'Figures: shipped, learned, imported',
    answer: v.array(figures.FigureRowSchema),
  },
  {
    method: 'post',
    path: '/figures',
    summary: 'Import a figure',
    body: figures.FigureSchema,
    answer: figures.FigureRowSchema,
    status: [201],
  },
  {
    method: 'post',
    path: '/figures/learn',
    summary: 'Learn a figure from a character',
    body: figures.LearnFigureSchema,
    answer: figures.FigureRowSchema,
    status: [201],
  },
  {
    method: 'post',
    path: '/figures/archive',
    summary: 'Import a figure with its skin: an archive as the other takes it out',
    body: MULTIPART,
    answer: figures.FigureRowSchema,
    status: [201],
  },
  {
    method: 'get',
    path: '/figures/:id/archive',
    summary: 'A figure with its skin, as a ZIP archive',
    answer: 'application/zip',
  },
  {
    method: 'post',
    path: '/figures/remember',
    summary: 'Keep corrections of roles with the figure that a character’s joint names are of, or learn it with them',
    body: figures.RememberFigureSchema,
    answer: figures.FigureRowSchema,
    status: [200, 201],
  },
  {
    method: 'put',
    path: '/figures/:id',
    summary: 'Change a figure that was not shipped',
    body: figures.FigureSchema,
    answer: figures.FigureRowSchema,
  },
  {
    method: 'delete',
    path: '/figures/:id',
    summary: 'Remove a figure that was not shipped',
    answer: null,
    status: [204],
  },

  {
    method: 'get',
    path: '/treatments',
    summary: 'Treatments of materials kept for all characters',
    answer: v.array(TreatmentSchema),
  },
  {
    method: 'put',
    path: '/treatments/:id',
    summary: 'Keep a treatment for all characters, in the place of one of that id',
    body: TreatmentSchema,
    answer: TreatmentSchema,
  },
  {
    method: 'delete',
    path: '/treatments/:id',
    summary: 'Let a kept treatment go; recipes that wear it have their own copy',
    answer: null,
    status: [204],
  },

  {
    method: 'get',
    path: '/recipes',
    summary: 'Recipes that characters share, with all versions and who follows them',
    answer: v.array(recipes.SharedRecipeRowSchema),
  },
  {
    method: 'get',
    path: '/recipes/schema',
    summary: 'JSON Schema of a shared recipe, settings of every step included',
    answer: v.looseObject({}),
  },
  {
    method: 'post',
    path: '/recipes',
    summary: 'Keep a shared recipe: the next version of its id, or the first; the version it names is not asked for',
    body: recipes.SharedRecipeSchema,
    answer: recipes.SharedRecipeSchema,
    status: [200, 201],
  },
  {
    method: 'delete',
    path: '/recipes/:id',
    summary: 'Let a shared recipe go, with all versions; who followed it keeps what it has',
    answer: null,
    status: [204],
  },

  { method: 'get', path: '/targets', summary: 'Delivery targets', answer: v.array(targets.TargetRowSchema) },
  {
    method: 'post',
    path: '/targets',
    summary: 'Make a target',
    body: targets.TargetSchema,
    answer: targets.TargetRowSchema,
    status: [201],
  },
  {
    method: 'put',
    path: '/targets/:id',
    summary: 'Change a target',
    body: targets.TargetSchema,
    answer: targets.TargetRowSchema,
  },
  {
    method: 'delete',
    path: '/targets/:id',
    summary: 'Remove a target that was not shipped',
    answer: null,
    status: [204],
  },

  {
    method: 'post',
    path: '/conversions',
    summary: 'The conversion of a character for a target; made when first asked for',
    body: conversions.NewConversionSchema,
    answer: conversions.ConversionSchema,
  },
  { method: 'get', path: '/conversions/:id', summary: 'Recipe and version', answer: conversions.ConversionSchema },
  {
    method: 'put',
    path: '/conversions/:id/recipe',
    summary: 'Save the recipe',
    body: conversions.SaveRecipeSchema,
    answer: conversions.ConversionSchema,
  },
  {
    method: 'get',
    path: '/conversions/:id/runs',
    summary: 'Runs of a conversion, newest first, twenty',
    answer: v.array(runs.RunRowSchema),
  },
  {
    method: 'post',
    path: '/conversions/:id/runs',
    summary: 'Queue a run',
    body: runs.StartRunSchema,
    answer: runs.RunAskedSchema,
    status: [200, 202],
  },
  { method: 'get', path: '/runs', summary: 'All runs', query: PageQuery, answer: v.array(runs.RunRowSchema) },
  { method: 'get', path: '/runs/:id', summary: 'A run with checks and parity', answer: runs.RunDetailSchema },
  {
    method: 'get',
    path: '/runs/:id/manifest',
    summary: 'The result document as a manifest of pieces',
    answer: ManifestSchema,
  },
  {
    method: 'get',
    path: '/runs/:id/picture',
    summary: 'The result, or with side=source what it was made from, as a picture; with view=head its head',
    answer: 'image/jpeg',
  },
  {
    method: 'post',
    path: '/runs/:id/cancel',
    summary: 'Stop a run',
    answer: v.object({ id: v.string() }),
    status: [202],
  },
  {
    method: 'get',
    path: '/deliveries/:id/package',
    summary: 'The package as an archive; refused where a rule blocks',
    answer: 'application/zip',
  },
  {
    method: 'get',
    path: '/deliveries/:id/trial',
    summary: 'The package as an archive, to be tried in the proving ground; of a blocked one too',
    answer: 'application/zip',
  },
  { method: 'get', path: '/deliveries/:id/report', summary: 'The report as a page', answer: 'text/html' },
];

/** The route that a request is for; `path` without query. */
export function routeFor(method: string, path: string): RouteContract | undefined {
  const asked = path.split('/');
  const fits = (route: RouteContract): boolean => {
    const parts = route.path.split('/');
    return (
      route.method === method.toLowerCase() &&
      parts.length === asked.length &&
      parts.every((part, i) => part[0] === ':' || part === asked[i])
    );
  };
  // Names before parameters: /figures/learn is no figure of that id.
  return ROUTES.filter(fits).sort((a, b) => a.path.split(':').length - b.path.split(':').length)[0];
}
