import { SharedRecipeSchema, STEPS } from '@dimetra/core';
import { toJsonSchema } from '@valibot/to-json-schema';
import type * as v from 'valibot';

const schemaOf = (schema: v.GenericSchema) => toJsonSchema(schema, { errorMode: 'ignore', typeMode: 'input' });

/** JSON Schema (draft 2020-12) of a shared recipe, with what each step may be set to. */
export function recipeJsonSchema(): object {
  const { $schema, ...whole } = schemaOf(SharedRecipeSchema) as { $schema?: string; properties?: object };
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Recipe',
    ...whole,
    properties: {
      ...whole.properties,
      steps: {
        type: 'array',
        items: {
          oneOf: STEPS.map(({ id, title, settings }) => {
            const { $schema: _, ...own } = schemaOf(settings) as { $schema?: string };
            return {
              type: 'object',
              title,
              properties: { id: { const: id }, enabled: { type: 'boolean', default: true }, settings: own },
              required: ['id'],
            };
          }),
        },
      },
    },
  };
}
