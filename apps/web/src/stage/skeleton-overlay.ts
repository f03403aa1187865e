import * as THREE from 'three';
import type { StageFigure } from '../figure/build.ts';
import { axesOf } from './furniture.ts';
import { SIDE_COLOR, type Side, type StageState } from './state.ts';

const points = (color: number, size: number) =>
  new THREE.PointsMaterial({ color, size, sizeAttenuation: false, depthTest: false, transparent: true });

/** Bones, joints and the chosen joint, drawn over a figure. What is drawn once is moved from then on. */
export class SkeletonOverlay {
  readonly group = new THREE.Group();
  private readonly lines: THREE.LineSegments;
  private readonly dots = new THREE.Points(new THREE.BufferGeometry(), points(0xf2ead6, 4));
  private readonly mark = new THREE.Points(new THREE.BufferGeometry(), points(0xffffff, 11));
  private axes: THREE.Object3D | null = null;

  constructor(private readonly side: Side) {
    this.lines = new THREE.LineSegments(
      new THREE.BufferGeometry(),
      new THREE.LineBasicMaterial({ color: SIDE_COLOR[side], depthTest: false, transparent: true, opacity: 0.9 }),
    );
    [this.lines, this.dots, this.mark].forEach((thing, i) => {
      thing.renderOrder = 10 + i;
      thing.frustumCulled = false;
      this.group.add(thing);
    });
    this.group.visible = false;
  }

  show(figure: StageFigure, state: StageState): void {
    this.group.visible = state.skeleton;
    this.dropAxes();
    if (!state.skeleton) return;
    const { parent, joints } = figure.skeleton,
      ends = [...parent.entries()].flatMap(([joint, above]) => (above < 0 ? [] : [above, joint])),
      chosen = joints.findIndex((joint) => joint.getName() === state.joint[this.side]);
    move(this.lines.geometry, figure, ends);
    move(this.dots.geometry, figure, [...joints.keys()]);
    move(this.mark.geometry, figure, chosen < 0 ? [] : [chosen]);
    if (!state.axes) return;
    this.axes = axesOf(figure);
    this.group.add(this.axes);
  }

  dispose(): void {
    this.dropAxes();
    for (const { geometry, material } of [this.lines, this.dots, this.mark]) {
      geometry.dispose();
      (material as THREE.Material).dispose();
    }
  }

  private dropAxes(): void {
    if (!this.axes) return;
    this.group.remove(this.axes);
    this.axes.traverse((thing) => {
      if (!(thing instanceof THREE.Line || thing instanceof THREE.Mesh)) return;
      thing.geometry.dispose();
      (thing.material as THREE.Material).dispose();
    });
    this.axes = null;
  }
}

/** Puts a geometry's points where the joints stand now; its buffer is made anew only for another number of them. */
function move(geometry: THREE.BufferGeometry, { bones }: StageFigure, joints: readonly number[]): void {
  if (geometry.getAttribute('position')?.count !== joints.length) {
    geometry.dispose();
    geometry.setAttribute('position', new THREE.BufferAttribute(new Float32Array(joints.length * 3), 3));
  }
  const position = geometry.getAttribute('position');
  joints.forEach((joint, i) => {
    const e = bones[joint].matrixWorld.elements;
    position.setXYZ(i, e[12], e[13], e[14]);
  });
  position.needsUpdate = true;
}
