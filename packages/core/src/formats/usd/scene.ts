import type { Document, Mesh, Node } from '@gltf-transform/core';
import { addChannel } from '../../character/index.ts';
import { decompose } from '../../geometry/index.ts';
import type { Finding } from '../../problem.ts';
import { makeSkin } from '../mesh/skin.ts';
import { primOf } from './compose.ts';
import { titleOf, type UsdPrim } from './layer.ts';
import { boundMaterial, type Inherited, UsdMeshes, wordOf, wordsOf } from './mesh.ts';
import type { UsdMaterials } from './materials.ts';
import { makeSkeleton, type UsdSkeleton, UsdSkins, writeSkelAnimation } from './skeleton.ts';
import { keyTimes, localMatrix, resetsStack } from './transforms.ts';

/** Prims that stand for shapes other than polygons, and what people call them. */
const SHAPES: Record<string, string> = {
  BasisCurves: 'curves',
  HermiteCurves: 'curves',
  NurbsCurves: 'curves',
  NurbsPatch: 'curved surfaces',
  Points: 'point clouds',
  Cube: 'plain solids',
  Sphere: 'plain solids',
  Cylinder: 'plain solids',
  Cone: 'plain solids',
  Capsule: 'plain solids',
  Plane: 'plain solids',
  PointInstancer: 'scattered copies',
  Volume: 'volumes',
  TetMesh: 'solid meshes',
};
const LEFT: Record<string, string> = { Camera: 'cameras' };
interface MovedMesh {
  node: Node;
  mesh: Mesh;
  prim: UsdPrim;
  skeleton: string;
  animation: string;
}

/** Builds nodes from composed prims: places, meshes, skeletons with their skins, and clips. */
export class UsdScene {
  private readonly meshes: UsdMeshes;
  private readonly skins: UsdSkins;
  private readonly skeletons = new Map<string, UsdSkeleton>();
  private readonly moved: MovedMesh[] = [];
  private readonly placed: { node: Node; prim: UsdPrim }[] = [];
  private readonly left = new Map<string, { count: number; lost: boolean }>();
  private hidden = 0;
  /** Nodes that clips or skins may name: these stay though they hold nothing. */
  constructor(
    private readonly root: UsdPrim,
    private readonly document: Document,
    materials: UsdMaterials,
    private readonly findings: Finding[],
    private readonly file: string,
    private readonly rate: number,
  ) {
    this.meshes = new UsdMeshes(root, document, materials, findings, file);
    this.skins = new UsdSkins(document, findings);
  }

  build(): void {
    const scene = this.document.createScene();
    for (const [name, prim] of this.root.children) {
      const node = this.node(
        prim,
        `/${name}`,
        { material: '', skeleton: '', animation: '', purpose: '', invisible: false },
        scene,
      );
      if (node) scene.addChild(node);
    }
    for (const entry of this.moved) this.bind(entry);
    // Joints that hold no mesh are a skeleton all the same.
    if (!this.moved.length)
      for (const { path, nodes } of this.skeletons.values())
        makeSkin(this.document, path.slice(path.lastIndexOf('/') + 1), nodes);
    this.clips();
    for (const [what, { count, lost }] of this.left)
      this.findings.push({
        code: lost ? 'usd.left-out' : 'intake.came-along',
        severity: lost ? 'warning' : 'info',
        message: `${count} ${what} ${count === 1 ? 'was' : 'were'} left out${lost ? ': only polygon meshes are converted. Turn them into meshes before exporting' : ''}.`,
        where: this.file,
        measured: count,
      });
    if (this.hidden)
      this.findings.push({
        code: 'usd.hidden',
        severity: 'info',
        message: `${this.hidden} ${this.hidden === 1 ? 'mesh is' : 'meshes are'} marked invisible in the file; they came in like the others.`,
        where: this.file,
        measured: this.hidden,
      });
    if (this.meshes.unbound.length)
      this.findings.push({
        code: 'usd.no-material',
        severity: 'info',
        message: `${this.meshes.unbound.length} ${this.meshes.unbound.length === 1 ? 'mesh has' : 'meshes have'} no material.`,
        where: this.meshes.unbound[0],
        measured: this.meshes.unbound.length,
      });
  }

  /** @returns null where neither the prim nor what is below it makes anything */
  private node(prim: UsdPrim, path: string, above: Inherited, scene: { addChild(node: Node): unknown }): Node | null {
    if (
      prim.specifier !== 'def' ||
      prim.meta.get('active') === false ||
      prim.type === 'Material' ||
      prim.type === 'Shader' ||
      prim.type === 'GeomSubset' ||
      prim.type === 'BlendShape' ||
      prim.type === 'SkelAnimation'
    )
      return null;
    const passed: Inherited = {
      material: boundMaterial(prim) || above.material,
      skeleton: prim.relations.get('skel:skeleton')?.[0] ?? above.skeleton,
      animation: prim.relations.get('skel:animationSource')?.[0] ?? above.animation,
      purpose: wordOf(prim.attributes.get('purpose')) || above.purpose,
      invisible: above.invisible || wordOf(prim.attributes.get('visibility')) === 'invisible',
    };
    const kind = SHAPES[prim.type] ?? LEFT[prim.type] ?? (prim.type.endsWith('Light') ? 'lights' : '');
    if (kind) {
      const entry = this.left.get(kind) ?? { count: 0, lost: prim.type in SHAPES };
      entry.count++;
      this.left.set(kind, entry);
      return null;
    }
    if ((passed.purpose === 'proxy' || passed.purpose === 'guide') && prim.type === 'Mesh') {
      const key = `${passed.purpose === 'proxy' ? 'stand-in' : 'guide'} meshes`;
      const entry = this.left.get(key) ?? { count: 0, lost: false };
      entry.count++;
      this.left.set(key, entry);
      return null;
    }
    const node = this.document.createNode(titleOf(prim)),
      { translation, rotation, scale } = decompose(localMatrix(prim));
    node.setTranslation(translation).setRotation(rotation).setScale(scale);
    let holds = false;
    if (prim.type === 'Skeleton') {
      const skeleton = makeSkeleton(this.document, prim, path, node, passed.animation, this.findings);
      if (skeleton) {
        this.skeletons.set(path, skeleton);
        holds = true;
      }
    } else if (prim.type === 'Mesh') {
      const mesh = this.meshes.build(prim, path, passed);
      if (mesh) {
        node.setMesh(mesh);
        holds = true;
        this.moved.push({ node, mesh, prim, skeleton: passed.skeleton, animation: passed.animation });
        if (passed.invisible) this.hidden++;
      }
    }
    for (const [name, child] of prim.children) {
      const made = this.node(child, `${path}/${name}`, passed, scene);
      if (!made) continue;
      holds = true;
      if (resetsStack(child)) scene.addChild(made);
      else node.addChild(made);
    }
    if (!holds) {
      node.dispose();
      return null;
    }
    if (keyTimes(prim).length > 1) this.placed.push({ node, prim });
    return node;
  }

  private bind({ node, mesh, prim, skeleton }: MovedMesh): void {
    if (!mesh.listPrimitives().some((entry) => entry.getAttribute('JOINTS_0'))) return;
    const found =
      this.skeletons.get(skeleton) ?? (this.skeletons.size === 1 ? [...this.skeletons.values()][0] : undefined);
    if (!found) {
      this.findings.push({
        code: 'usd.skeleton',
        severity: 'error',
        message: `“${prim.name}” has joint weights, but ${skeleton ? `its skeleton “${skeleton}” is not in the file` : 'names no skeleton'}; it came in unbound.`,
        where: prim.name,
      });
      for (const entry of mesh.listPrimitives())
        for (const semantic of entry.listSemantics())
          if (/^(JOINTS|WEIGHTS)_/.test(semantic)) entry.setAttribute(semantic, null);
      return;
    }
    this.skins.bind(node, mesh, prim, found);
  }

  private clips(): void {
    // What is bound anywhere, and what was taken from beside.
    const known = new Set([
      ...[...this.skeletons.values()].map((skeleton) => skeleton.animation),
      ...this.moved.map((entry) => entry.animation),
    ]);
    for (const skeleton of this.skeletons.values()) {
      // The animation may be named at the skeleton or at what is bound to it.
      const sources = new Set(
        [
          skeleton.animation,
          ...this.moved.filter((entry) => entry.skeleton === skeleton.path).map((entry) => entry.animation),
        ].filter(Boolean),
      );
      for (const path of [...sources, ...this.motionsBeside(skeleton, known)]) {
        known.add(path);
        const prim = primOf(this.root, path);
        if (!prim) {
          this.findings.push({
            code: 'usd.clip',
            severity: 'warning',
            message: `The motion “${path}” is named but not in the file.`,
            where: path,
          });
          continue;
        }
        const shaped = this.moved
          .filter((entry) => entry.skeleton === skeleton.path)
          .map(({ node, mesh }) => ({ node, names: (mesh.getExtras().targetNames as string[] | undefined) ?? [] }));
        writeSkelAnimation(this.document, prim, path, skeleton, shaped, this.rate, this.findings);
      }
    }
    if (this.placed.length) this.writePlaces();
  }

  /** Motions that are bound to nothing and move joints of this skeleton alone: others to choose from. */
  private motionsBeside({ joints }: UsdSkeleton, taken: ReadonlySet<string>): string[] {
    const own = new Set(joints),
      out: string[] = [],
      look = (prim: UsdPrim, path: string): void => {
        if (prim.specifier !== 'def' || prim.meta.get('active') === false) return;
        const moved = prim.type === 'SkelAnimation' && !taken.has(path) ? wordsOf(prim.attributes.get('joints')) : [];
        if (moved.length && moved.every((joint) => own.has(joint))) out.push(path);
        for (const child of prim.children.values()) look(child, `${path}/${child.name}`);
      };
    for (const child of this.root.children.values()) look(child, `/${child.name}`);
    return out;
  }

  /** Prims that are moved as a whole become one clip. */
  private writePlaces(): void {
    const { document } = this,
      clip = document.createAnimation('motion');
    const first = Math.min(...this.placed.map(({ prim }) => keyTimes(prim)[0]));
    for (const { node, prim } of this.placed) {
      const times = keyTimes(prim),
        input = document
          .createAccessor()
          .setType('SCALAR')
          .setArray(Float32Array.from(times, (time) => (time - first) / this.rate));
      const values = {
        translation: new Float32Array(times.length * 3),
        rotation: new Float32Array(times.length * 4),
        scale: new Float32Array(times.length * 3),
      };
      times.forEach((time, k) => {
        const found = decompose(localMatrix(prim, time));
        values.translation.set(found.translation, k * 3);
        values.rotation.set(found.rotation, k * 4);
        values.scale.set(found.scale, k * 3);
      });
      for (const target of ['translation', 'rotation', 'scale'] as const) {
        addChannel(document, clip, node, target, input, values[target]);
      }
    }
  }
}
