import type { Figure } from '@dimetra/core';

/** A figure’s skin in words. */
export function skinOf({ body }: Pick<Figure, 'body'>): string {
  if (!body) return 'joints alone';
  const vertices = body.parts.reduce((sum, part) => sum + part.vertices, 0);
  return `${vertices.toLocaleString('en-GB')} vertices in ${body.parts.length === 1 ? 'one part' : `${body.parts.length} parts`}`;
}
