import { type RefObject, useCallback, useEffect, useRef, useState } from 'react';
import { CantTry, openPackage, type Package } from './open-package.ts';
import { type Moment, type Tried, World } from './world.ts';

export type Trial =
  | { state: 'empty' }
  | { state: 'loading'; message: string }
  | { state: 'failed'; message: string }
  | { state: 'ready'; given: Package; tried: Tried };

/** The quay on a canvas, and what is tried there. The latest wish counts: what comes in late is dropped. */
export function useWorld(canvas: RefObject<HTMLCanvasElement | null>, expecting: boolean) {
  const [world, setWorld] = useState<World | null>(null),
    [moment, setMoment] = useState<Moment | null>(null),
    [trial, setTrial] = useState<Trial>({ state: 'empty' }),
    wish = useRef(0),
    /** Of when it was made: later ones are told as they come. */
    first = useRef(expecting);
  useEffect(() => {
    if (!canvas.current) return;
    let made: World;
    try {
      made = new World(canvas.current, setMoment, first.current);
    } catch (error) {
      setTrial({
        state: 'failed',
        message: `Nothing can be drawn here: ${(error as Error).message}. The browser needs WebGL 2.`,
      });
      return;
    }
    setWorld(made);
    return () => {
      made.dispose();
      setWorld(null);
    };
  }, [canvas]);
  const open = useCallback(
    async (fetched: () => Promise<{ path: string; bytes: Uint8Array<ArrayBuffer> }[]>, message: string) => {
      if (!world) return;
      const mine = ++wish.current,
        still = () => mine === wish.current;
      setTrial({ state: 'loading', message });
      world.expect();
      try {
        const given = openPackage(await fetched());
        if (!still()) return;
        const tried = await world.open(given);
        if (still()) setTrial({ state: 'ready', given, tried });
      } catch (error) {
        if (!still()) return;
        world.giveUp();
        if (!(error instanceof CantTry)) console.error(error);
        setTrial({ state: 'failed', message: (error as Error).message });
      }
    },
    [world],
  );
  return { world, moment, trial, open };
}

/** A delivered package, fetched as anybody's. @throws CantTry */
export async function fetchPackage(deliveryId: string) {
  const response = await fetch(`/api/v1/deliveries/${deliveryId}/trial`);
  if (!response.ok) {
    const said = (await response.json().catch(() => null)) as { detail?: string } | null;
    throw new CantTry(said?.detail ?? `The package didn't come (${response.status}). Try it again.`);
  }
  return [{ path: 'package.zip', bytes: new Uint8Array(await response.arrayBuffer()) }];
}
