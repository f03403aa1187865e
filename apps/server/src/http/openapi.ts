import { ProblemSchema, type RouteContract, ROUTES } from '@dimetra/contract';
import { toJsonSchema } from '@valibot/to-json-schema';
import type * as v from 'valibot';

/** What can be said in JSON Schema is; what transforms or checks by code is described as far as it goes. */
const schemaOf = (schema: v.GenericSchema) => toJsonSchema(schema, { errorMode: 'ignore', typeMode: 'input' });
const content = (what: v.GenericSchema | string) =>
  typeof what === 'string' ? { [what]: {} } : { 'application/json': { schema: schemaOf(what) } };

/** Parameters in the path are all ids; those after it are as the query's schema says. */
function parametersOf({ path, query }: RouteContract): object[] {
  const inPath = [...path.matchAll(/:(\w+)/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
  }));
  const entries = (query as { entries?: Record<string, v.GenericSchema> } | undefined)?.entries ?? {};
  return [
    ...inPath,
    ...Object.entries(entries).map(([name, schema]) => ({
      name,
      in: 'query',
      required: false,
      schema: schemaOf(schema),
    })),
  ];
}

function operationOf(route: RouteContract): object {
  const { summary, body, answer, status = [200] } = route;
  return {
    summary,
    parameters: parametersOf(route),
    ...(body === undefined ? {} : { requestBody: { required: true, content: content(body) } }),
    responses: {
      ...Object.fromEntries(
        status.map((code) => [
          code,
          {
            description: code >= 400 ? 'Not just now' : 'Done',
            ...(answer === null ? {} : { content: content(answer) }),
          },
        ]),
      ),
      default: {
        description: 'A refusal or a failure, as a sentence with a code',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    },
  };
}

/** OpenAPI 3.1 description, made from the contract that requests and answers are held to. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const route of ROUTES) (paths[route.path.replace(/:(\w+)/g, '{$1}')] ??= {})[route.method] = operationOf(route);
  return {
    openapi: '3.1.0',
    info: { title: 'Dimetra', version: '1' },
    servers: [{ url: '/api/v1' }],
    paths,
    components: { schemas: { Problem: schemaOf(ProblemSchema) } },
  };
}
