import { toJsonSchema } from '@valibot/to-json-schema';
import type * as v from 'valibot';
import {
  FigureSchema,
  GoBackSchema,
  LearnFigureSchema,
  NewConversionSchema,
  PiecesSchema,
  RememberFigureSchema,
  RenameSchema,
  SaveRecipeSchema,
  TargetSchema,
} from './schemas.ts';

const json = (schema: v.GenericSchema) => ({
  content: { 'application/json': { schema: toJsonSchema(schema, { errorMode: 'ignore' }) } },
});
const done = {
  responses: { 200: { description: 'Done' }, default: { description: 'problem+json (RFC 9457) with `code`' } },
};

/** OpenAPI 3.1 description, made from the schemas that check the requests. */
export const openApi = () => ({
  openapi: '3.1.0',
  info: { title: 'Dimetra', version: '1' },
  servers: [{ url: '/api/v1' }],
  paths: {
    '/characters': {
      get: { summary: 'All characters with the state of their conversions', ...done },
      post: {
        summary: 'Upload files, a folder or an archive: a character of each model in it',
        requestBody: { content: { 'multipart/form-data': {} } },
        ...done,
      },
    },
    '/characters/{id}/images': {
      post: {
        summary: 'Bring images in again, each by its name or one onto ?material and ?channel: a new revision',
        requestBody: { content: { 'multipart/form-data': {} } },
        ...done,
      },
    },
    '/characters/{id}/revisions': {
      post: { summary: 'Go back to an earlier revision, as a new one', requestBody: json(GoBackSchema), ...done },
    },
    '/characters/{id}': {
      get: { summary: 'One character with its inventory and findings', ...done },
      patch: { summary: 'Rename', requestBody: json(RenameSchema), ...done },
      delete: { summary: 'Remove with everything made from it', ...done },
    },
    '/revisions/{id}/manifest': { get: { summary: 'The source document as a manifest of pieces', ...done } },
    '/pieces': { post: { summary: 'Many pieces in one stream', requestBody: json(PiecesSchema), ...done } },
    '/images/{hash}': { get: { summary: 'An image at preview size', ...done } },
    '/figures': {
      get: { summary: 'Figures: shipped, learned, imported', ...done },
      post: { summary: 'Import a figure', requestBody: json(FigureSchema), ...done },
    },
    '/figures/learn': {
      post: { summary: 'Learn a figure from a character', requestBody: json(LearnFigureSchema), ...done },
    },
    '/figures/remember': {
      post: {
        summary:
          "Keep corrections of roles with the figure that a character's joint names are of, or learn it with them",
        requestBody: json(RememberFigureSchema),
        ...done,
      },
    },
    '/figures/{id}': {
      put: { summary: 'Change a figure that was not shipped', requestBody: json(FigureSchema), ...done },
      delete: { summary: 'Remove a figure that was not shipped', ...done },
    },
    '/targets': {
      get: { summary: 'Delivery targets', ...done },
      post: { summary: 'Make a target', requestBody: json(TargetSchema), ...done },
    },
    '/targets/{id}': {
      put: { summary: 'Change a target', requestBody: json(TargetSchema), ...done },
      delete: { summary: 'Remove a target that was not shipped', ...done },
    },
    '/conversions': {
      post: { summary: 'The conversion of a character for a target', requestBody: json(NewConversionSchema), ...done },
    },
    '/conversions/{id}': { get: { summary: 'Recipe and version', ...done } },
    '/conversions/{id}/recipe': { put: { summary: 'Save the recipe', requestBody: json(SaveRecipeSchema), ...done } },
    '/conversions/{id}/runs': {
      get: { summary: 'Runs of a conversion', ...done },
      post: { summary: 'Queue a run', ...done },
    },
    '/runs': { get: { summary: 'All runs, newest first, by page', ...done } },
    '/runs/{id}': { get: { summary: 'A run with checks and parity', ...done } },
    '/runs/{id}/manifest': { get: { summary: 'The result document as a manifest of pieces', ...done } },
    '/runs/{id}/cancel': { post: { summary: 'Stop a run', ...done } },
    '/deliveries/{id}/package': { get: { summary: 'The package as an archive', ...done } },
    '/deliveries/{id}/report': { get: { summary: 'The report as a page', ...done } },
    '/events': { get: { summary: 'Server-sent events', ...done } },
  },
});
