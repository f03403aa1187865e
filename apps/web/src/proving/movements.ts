/** What somebody does here, each by a motion of its own. */
export const MOVEMENTS = ['idle', 'walk', 'run', 'turn', 'climb'] as const;
export type Movement = (typeof MOVEMENTS)[number];

/** Words that names of clips have in them. */
const WORDS: Record<Movement, RegExp> = {
  turn: /turn|pivot/i,
  climb: /climb|ladder/i,
  run: /\brun|run\b|running|jog|sprint/i,
  walk: /walk|stride|patrol/i,
  idle: /idle|stand|breath|wait|rest pose/i,
};

/** The movement that a clip is for by its name; null where it is for none. */
export const movementOf = (name: string): Movement | null => {
  const plain = name.replace(/[_.-]+/g, ' ');
  return (Object.keys(WORDS) as Movement[]).find((movement) => WORDS[movement].test(plain)) ?? null;
};

/** Motions that ship, by movement: turning is stepping on the spot. */
const SHIPPED: Record<Movement, string> = {
  idle: 'Idle',
  walk: 'Walk',
  run: 'Run',
  turn: 'Walk',
  climb: 'Climb a ladder',
};

/** A motion for each movement: the package's own where one is called like it, else one that ships; none where there is neither. */
export function chosenMotions(motions: readonly { name: string; own: boolean }[]): Partial<Record<Movement, number>> {
  const out: Partial<Record<Movement, number>> = {};
  for (const movement of MOVEMENTS) {
    const own = motions.findIndex((motion) => motion.own && movementOf(motion.name) === movement),
      at = own >= 0 ? own : motions.findIndex((motion) => !motion.own && motion.name === SHIPPED[movement]);
    if (at >= 0) out[movement] = at;
  }
  return out;
}
