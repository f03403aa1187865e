import type { Part, PART_ROLES } from '../character/index.ts';

/**
 * How much a part's triangles count. Heads come so finely built that they keep most of what there is anyway: on the demo's
 * pilot at 20,000 triangles, 1.8 for the head left the whole 2.2 mm off at rest and morphs 0.43 mm, 1.1 leaves 1.2 and 0.37.
 * Hair counts double of what its thin cards would get: at 0.6 whole cards went, and it lay 6.6 mm off itself instead of 1.3.
 * What clothes cover is not starved: at 0.3 of its claim 108 cm² of skin showed through the crowd's pilot instead of 3.
 */
export const ROLE_IMPORTANCE: Readonly<Record<(typeof PART_ROLES)[number], number>> = {
  head: 1.1,
  eyes: 0.6,
  cornea: 0.4,
  tears: 0.5,
  lashes: 0.8,
  brows: 0.8,
  teeth: 0.5,
  tongue: 0.4,
  hands: 0.9,
  body: 1.2,
  nails: 0.5,
  scalp: 0.6,
  hair: 1.2,
  garment: 1.2,
  footwear: 0.9,
  accessory: 0.7,
  other: 1,
};

/** Of what is looked at from close by: lashes and brows are few triangles, and crumble with every card that goes. */
const CLOSE_UP: Readonly<Record<string, number>> = { lashes: 6, brows: 2, hair: 1.8 },
  CLOSE_M = 1;

/** @param nearestM how near the viewer comes */
export const importanceOf = (role: string, nearestM = Infinity): number =>
  (nearestM <= CLOSE_M ? CLOSE_UP[role] : undefined) ??
  (ROLE_IMPORTANCE as Readonly<Record<string, number>>)[role] ??
  1;

/** Exponent of the sharing rule: 1 would keep the source's own distribution, 0 give every part the same. */
const FINENESS = 0.6;
const claim = (row: PartBudget): number => row.from ** FINENESS * row.importance;

export interface PartBudget {
  id: string;
  /** Triangles in the source. */
  from: number;
  /** Triangles asked for. */
  to: number;
  importance: number;
  /** Whether `to` was set by hand. */
  fixed: boolean;
  /** Its kind has a limit, and this is its share of that. */
  held?: true;
}

/**
 * Shares a triangle budget among parts: in proportion to triangles^0.6 × importance, so that what was built most
 * finely gives up most, never above what a part has
 * (what it can't use goes to the others), never below `least` where it has that many. Fixed parts come first.
 * The shares add up to the budget exactly where the parts have enough triangles.
 */
export function shareBudget(
  parts: readonly Pick<Part, 'id' | 'triangles' | 'role'>[],
  budget: number,
  fixed: Readonly<Record<string, number>> = {},
  importance: Readonly<Record<string, number>> = {},
  nearestM = Infinity,
  least = 12,
): PartBudget[] {
  const rows: PartBudget[] = parts.map((part) => {
    const set = fixed[part.id];
    return {
      id: part.id,
      from: part.triangles,
      to: set === undefined ? 0 : Math.max(0, Math.min(part.triangles, Math.round(set))),
      importance: importance[part.id] ?? importanceOf(part.role, nearestM),
      fixed: set !== undefined,
    };
  });
  let left = budget - rows.reduce((sum, row) => sum + (row.fixed ? row.to : 0), 0);
  let open = rows.filter((row) => !row.fixed && row.from > 0);
  // Parts that want more than they have are filled and taken out, until the rest can be shared in proportion.
  while (open.length) {
    const weight = open.reduce((sum, row) => sum + claim(row), 0);
    const full = open.filter((row) => (left * claim(row)) / weight >= row.from);
    const small = open.filter((row) => (left * claim(row)) / weight < Math.min(least, row.from));
    const settled = full.length ? full : small;
    if (!settled.length) {
      for (const row of open) row.to = Math.max(0, Math.floor((left * claim(row)) / weight));
      const rest = left - open.reduce((sum, row) => sum + row.to, 0);
      const byImportance = [...open].sort((a, b) => b.importance - a.importance || b.from - a.from);
      for (let i = 0; i < rest && byImportance.length; i++) byImportance[i % byImportance.length].to++;
      break;
    }
    for (const row of settled) {
      row.to = full.length ? row.from : Math.min(least, row.from);
      left -= row.to;
    }
    open = open.filter((row) => !settled.includes(row));
  }
  return rows;
}

/**
 * The same, where all parts of a role may have only so many together: what is too much is taken from them in proportion,
 * and shared among the others. Parts set by hand stay as they are set.
 */
export function shareWithin(
  parts: readonly Pick<Part, 'id' | 'triangles' | 'role'>[],
  budget: number,
  limits: Readonly<Record<string, number | undefined>>,
  fixed: Readonly<Record<string, number>> = {},
  importance: Readonly<Record<string, number>> = {},
  nearestM = Infinity,
): PartBudget[] {
  const held: Record<string, number> = {};
  for (;;) {
    const rows = shareBudget(parts, budget, { ...held, ...fixed }, importance, nearestM),
      share = new Map(rows.map((row) => [row.id, row.to])),
      over = Object.entries(limits).find(([role, most]) => {
        const free = parts.filter(
          (part) => part.role === role && fixed[part.id] === undefined && held[part.id] === undefined,
        );
        return most !== undefined && free.length > 0 && sumOf(role) > most;
      });
    if (!over) return rows.map((row) => (row.id in held ? { ...row, fixed: false, held: true as const } : row));
    const [role, most] = over as [string, number],
      own = parts.filter((part) => part.role === role),
      set = own.reduce((sum, part) => sum + (fixed[part.id] ?? 0), 0),
      free = own.filter((part) => fixed[part.id] === undefined),
      have = free.reduce((sum, part) => sum + (share.get(part.id) ?? 0), 0);
    for (const part of free)
      held[part.id] = Math.floor(((share.get(part.id) ?? 0) * Math.max(0, most - set)) / Math.max(1, have));
    function sumOf(of: string): number {
      return parts.reduce((sum, part) => sum + (part.role === of ? (share.get(part.id) ?? 0) : 0), 0);
    }
  }
}

/** Budgets as the simplifier takes them. */
export const budgetById = (rows: readonly PartBudget[]): Map<string, number> =>
  new Map(rows.map((row) => [row.id, row.to]));
