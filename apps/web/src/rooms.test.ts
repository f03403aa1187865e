import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative, resolve } from 'node:path';
import { describe, expect, it } from 'vitest';

/** Which rooms the files of each room import, and by which import. */
function roomsIn(root: string): Map<string, Map<string, string>> {
  const out = new Map<string, Map<string, string>>();
  for (const name of readdirSync(root, { recursive: true, encoding: 'utf8' })) {
    if (!/\.tsx?$/.test(name) || /\.test\.tsx?$/.test(name)) continue;
    const file = join(root, name),
      room = name.split('/')[0];
    for (const [, to] of readFileSync(file, 'utf8').matchAll(/(?:from|import\() ?'(\.[^']+)'/g)) {
      const target = relative(root, resolve(dirname(file), to)),
        other = target.split('/')[0];
      if (other === room || other === '..') continue;
      const known = out.get(room) ?? new Map<string, string>();
      out.set(room, known.set(other, `${name} imports ${target}`));
    }
  }
  return out;
}

/** A way from a room back to itself, as the imports on it; null where there is none. */
function circle(rooms: ReturnType<typeof roomsIn>): string[] | null {
  const done = new Set<string>();
  const walk = (room: string, way: readonly string[], by: readonly string[]): string[] | null => {
    if (way.includes(room)) return by.slice(way.indexOf(room));
    if (done.has(room)) return null;
    for (const [next, how] of rooms.get(room) ?? []) {
      const found = walk(next, [...way, room], [...by, how]);
      if (found) return found;
    }
    done.add(room);
    return null;
  };
  for (const room of rooms.keys()) {
    const found = walk(room, [], []);
    if (found) return found;
  }
  return null;
}

describe('rooms of client and server', () => {
  it.each(['apps/web/src', 'apps/server/src', 'apps/cli/src', 'packages/platform/src', 'packages/eyes/src'])(
    '%s: stand on each other, never in a circle: what both need belongs in a third, below them',
    (root) => {
      expect(circle(roomsIn(root))).toBeNull();
    },
  );
  it('would see a circle', () => {
    const one = new Map([['b', 'a imports b']]),
      two = new Map([['a', 'b imports a']]);
    expect(
      circle(
        new Map([
          ['a', one],
          ['b', two],
        ]),
      ),
    ).toEqual(['a imports b', 'b imports a']);
    expect(
      circle(
        new Map([
          ['a', one],
          ['b', new Map([['c', 'b imports c']])],
        ]),
      ),
    ).toBeNull();
  });
  it('the server speaks to its database below the routes: a route that holds a query can be tested with nothing but a database', () => {
    const holding = readdirSync('apps/server/src/http').filter(
      (name) =>
        !name.endsWith('.test.ts') &&
        /from '(drizzle-orm|pg|\.\.\/db\/schema)/.test(
          readFileSync(`apps/server/src/http/${name}`, 'utf8').replace(/^import type .*$/gm, ''),
        ),
    );
    expect(holding).toEqual([]);
  });
  it.each(['packages', 'apps'].flatMap((home) => readdirSync(home).map((name) => `${home}/${name}`)))(
    '%s declares every package that it imports: what another declares may go with it',
    (folder) => {
      const { dependencies = {} } = JSON.parse(readFileSync(`${folder}/package.json`, 'utf8')) as {
        dependencies?: Record<string, string>;
      };
      const used = new Set<string>();
      for (const name of readdirSync(`${folder}/src`, { recursive: true, encoding: 'utf8' })) {
        if (!/\.tsx?$/.test(name) || /\.test\.|(^|\/)testing\//.test(name)) continue;
        for (const [, from] of readFileSync(`${folder}/src/${name}`, 'utf8').matchAll(
          /^(?:import|export)\s+(?:[\w$*{}\s,]+?\s+from\s+)?'([@a-z][^']*)'/gm,
        ))
          if (!from.startsWith('node:'))
            used.add(
              from
                .split('/')
                .slice(0, from[0] === '@' ? 2 : 1)
                .join('/'),
            );
      }
      expect(used.size).toBeGreaterThan(0);
      expect([...used].filter((name) => !(name in dependencies))).toEqual([]);
    },
  );
});
