/** Where things stand in the port of Vell Sund, metres: +Y up, the ship to the north (−Z). Pictures and walking go by the same numbers. */
export interface Area {
  west: number;
  east: number;
  north: number;
  south: number;
}
export const QUAY: Area = { west: -14, east: 14, north: -3, south: 12 };
/** Floor of the ship's bridge, over the quay's northern edge. */
export const BRIDGE: Area & { height: number } = { west: -4.5, east: 4.5, north: -9.5, south: -3.4, height: 2.52 };
/** The ladder leans on the bridge's southern side; who climbs faces north. */
export const LADDER = { x: 0, z: -3.2, halfWidth: 0.24, rung: 0.28 };
/** Where a figure is put in, looking at whoever looks. */
export const START = { x: 0, z: 2.2 };
/** Things on the quay that nobody walks through: middle and radius. */
export const POSTS: readonly { x: number; z: number; radius: number }[] = [
  ...[-9, -5, 5, 9].map((x) => ({ x, z: 10.8, radius: 0.35 })),
  { x: -6.2, z: -1.2, radius: 0.75 },
  { x: 7.2, z: -0.6, radius: 1.1 },
  { x: -3.6, z: 0.4, radius: 0.3 },
];
