import { ROUTES, routeFor } from '@dimetra/contract';
import type { Router } from 'express';
import { describe, expect, it } from 'vitest';
import { breach } from './answers.ts';
import { characterRoutes } from './characters.ts';
import { conversionRoutes } from './conversions.ts';
import { figureRoutes } from './figures.ts';
import { imageRoutes } from './images.ts';
import { openApi } from './openapi.ts';
import { pieceRoutes } from './pieces.ts';
import { runRoutes } from './runs.ts';
import { targetRoutes } from './targets.ts';
import { recipeRoutes } from './recipes.ts';
import { sourceRoutes } from './sources.ts';
import { treatmentRoutes } from './treatments.ts';

/** Routers ask for nothing before a request comes. */
const nothing = {} as never,
  routers: Router[] = [
    characterRoutes(nothing, nothing, nothing, nothing, nothing),
    imageRoutes(nothing, nothing, nothing, nothing, nothing),
    targetRoutes(nothing, nothing),
    conversionRoutes(nothing, nothing, nothing),
    runRoutes(nothing, nothing, nothing),
    figureRoutes(nothing, nothing, nothing, nothing, nothing),
    treatmentRoutes(nothing, nothing),
    recipeRoutes(nothing, nothing),
    sourceRoutes(nothing, nothing, nothing, nothing, nothing),
    pieceRoutes(nothing),
  ];
const served = routers.flatMap((router) =>
  router.stack.flatMap(({ route }) =>
    route ? [...new Set(route.stack.map((layer) => layer.method))].map((method) => `${method} ${route.path}`) : [],
  ),
);
/** Answered by the application itself. */
const APART = ['get /health', 'get /openapi.json', 'get /events'];

describe('the contract', () => {
  it('names every route that is served, and no other', () => {
    expect(ROUTES.map((route) => `${route.method} ${route.path}`).sort()).toEqual([...served, ...APART].sort());
  });
  it('is what OpenAPI says: parameters, bodies and answers of every route', () => {
    const { paths } = openApi() as {
      paths: Record<string, Record<string, { parameters: { name: string; in: string }[]; responses: object }>>;
    };
    for (const route of ROUTES) {
      const said = paths[route.path.replace(/:(\w+)/g, '{$1}')][route.method];
      expect(Object.keys(said.responses), route.path).toEqual([...(route.status ?? [200]).map(String), 'default']);
      expect('requestBody' in said, route.path).toBe(route.body !== undefined);
      expect(said.parameters.filter((entry) => entry.in === 'path')).toHaveLength(route.path.split(':').length - 1);
    }
    expect(paths['/runs'].get.parameters).toMatchObject([{ name: 'page', in: 'query' }]);
    expect(paths['/images/{hash}'].get.parameters.map((entry) => entry.name)).toEqual(['hash', 'max']);
    expect(JSON.stringify(paths['/runs/{id}'].get)).toContain('"cancelling"');
  });
  it('finds the route of a request, names before parameters', () => {
    expect(routeFor('POST', '/figures/learn')?.path).toBe('/figures/learn');
    expect(routeFor('PUT', '/figures/tessel')?.path).toBe('/figures/:id');
    expect(routeFor('GET', '/figures/tessel')).toBeUndefined();
  });
  it('is broken by an answer of another shape, status or kind, and not by a refusal', () => {
    const id = '0b0f6a52-6c1d-4f0a-9d52-111111111111';
    expect(breach('POST', `/conversions/${id}/runs`, 202, { id })).toBeNull();
    expect(breach('POST', `/conversions/${id}/runs`, 202, { id: 'seven' })).toContain('id');
    expect(breach('POST', `/conversions/${id}/runs`, 201, { id })).toContain('answers 201');
    expect(breach('POST', `/conversions/${id}/runs`, 409, { code: 'conflict' })).toBeNull();
    expect(breach('GET', '/deliveries/1/report', 200, {})).toContain('answers JSON');
    expect(breach('GET', '/imagined', 200, {})).toContain('no contract');
    expect(breach('GET', '/production', 200, { id, name: 'Vell Sund', createdAt: new Date() })).toBeNull();
  });
});
