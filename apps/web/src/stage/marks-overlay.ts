import { HUMANOID_PARENT, type HumanoidRole } from '@dimetra/core';
import * as THREE from 'three';
import type { Mark } from './state.ts';

const dots = (color: number, size: number) =>
  new THREE.PointsMaterial({ color, size, sizeAttenuation: false, depthTest: false, transparent: true });

/** Joints of a body that has no skeleton yet, drawn over it: those seen in its shape, those assumed, the chosen one. */
export class MarksOverlay {
  readonly group = new THREE.Group();
  private readonly lines = new THREE.LineSegments(
    new THREE.BufferGeometry(),
    new THREE.LineBasicMaterial({ color: 0xd68f5c, depthTest: false, transparent: true, opacity: 0.8 }),
  );
  /** Under every dot, so that it shows on light and dark. */
  private readonly rims = new THREE.Points(new THREE.BufferGeometry(), dots(0x11161d, 7));
  private readonly seen = new THREE.Points(new THREE.BufferGeometry(), dots(0xf2ead6, 4));
  private readonly assumed = new THREE.Points(new THREE.BufferGeometry(), dots(0xe3b341, 5));
  private readonly chosen = new THREE.Points(new THREE.BufferGeometry(), dots(0xffffff, 12));

  constructor() {
    [this.lines, this.rims, this.assumed, this.seen, this.chosen].forEach((thing, i) => {
      thing.renderOrder = 10 + i;
      thing.frustumCulled = false;
      this.group.add(thing);
    });
    this.group.visible = false;
  }

  show(marks: readonly Mark[] | null): void {
    this.group.visible = marks !== null;
    if (!marks) return;
    const at = new Map(marks.map((mark) => [mark.role, mark.at]));
    const above = (role: HumanoidRole): HumanoidRole | null => {
      let up: HumanoidRole | null = HUMANOID_PARENT[role];
      // The spine between isn't looked for: arms hang on the neck.
      while (up && !at.has(up))
        up = up === 'upperChest' && role !== 'neck' && at.has('neck') ? 'neck' : HUMANOID_PARENT[up];
      return up;
    };
    put(
      this.lines.geometry,
      marks.flatMap(({ role, at: here }) => {
        const up = above(role),
          from = up && at.get(up);
        return from ? [from, here] : [];
      }),
    );
    put(
      this.rims.geometry,
      placesOf(marks, ({ chosen }) => !chosen),
    );
    put(
      this.seen.geometry,
      placesOf(marks, ({ assumed, chosen }) => !assumed && !chosen),
    );
    put(
      this.assumed.geometry,
      placesOf(marks, ({ assumed, chosen }) => assumed && !chosen),
    );
    put(
      this.chosen.geometry,
      placesOf(marks, ({ chosen }) => chosen),
    );
  }

  dispose(): void {
    for (const { geometry, material } of [this.lines, this.rims, this.seen, this.assumed, this.chosen]) {
      geometry.dispose();
      (material as THREE.Material).dispose();
    }
  }
}

const placesOf = (marks: readonly Mark[], which: (mark: Mark) => boolean) => marks.filter(which).map(({ at }) => at);

function put(geometry: THREE.BufferGeometry, places: readonly (readonly number[])[]): void {
  if (geometry.getAttribute('position')?.count !== places.length) geometry.dispose();
  geometry.setAttribute('position', new THREE.BufferAttribute(Float32Array.from(places.flat()), 3));
}
