import type { Document, Material, Mesh, Node } from '@gltf-transform/core';
import { compose, decompose } from '../../geometry/index.ts';
import { type Influences, writeInfluences } from '../../character/index.ts';
import { buildPrimitives, isSparse, spread } from '../mesh/poly-mesh.ts';
import { childrenOf, down, within, type XmlNode } from '../text/xml.ts';
import { type ColladaController, type ColladaSkin, readController } from './controllers.ts';
import { type ColladaMesh, readMesh } from './geometry.ts';
import type { ColladaMaterials } from './materials.ts';
import { type Collada, nameOf, whole } from './source.ts';
import { matrixOf, type TransformElement, transformsOf } from './transforms.ts';

const DEEPEST = 400,
  MOST_NODES = 100_000;
/** A node of the file and what it became; clips find their target here. */
export interface MadeNode {
  element: XmlNode;
  node: Node;
  transforms: TransformElement[];
}

/** Builds the visual scene: nodes with their transforms, meshes, skins and morphs. */
export class SceneBuilder {
  readonly made: MadeNode[] = [];
  /** Lights, cameras and the like that came along. */
  readonly left = new Map<string, number>();
  private readonly meshes = new Map<XmlNode, ColladaMesh | null>();
  private readonly waiting: { node: Node; element: XmlNode; controller: ColladaController }[] = [];

  constructor(
    private readonly file: Collada,
    private readonly document: Document,
    private readonly materials: ColladaMaterials,
  ) {}

  build(): void {
    const { file, document } = this;
    const scene = document.createScene();
    const wanted =
      file.find(down(file.root, 'scene', 'instance_visual_scene')?.attributes.url) ??
      down(file.root, 'library_visual_scenes', 'visual_scene');
    for (const element of childrenOf(wanted, 'node')) scene.addChild(this.node(element, 0));
    // Several exporters leave the scene out and bring geometry alone.
    if (!wanted)
      for (const geometry of within(file.root, 'geometry')) {
        const node = document.createNode(nameOf(geometry));
        this.putMesh(node, geometry, null, null);
        scene.addChild(node);
      }
    for (const { node, element, controller } of this.waiting)
      this.putMesh(node, controller.geometry, controller, element);
    for (const [what, count] of this.left)
      file.say({
        code: 'intake.came-along',
        severity: 'info',
        message: `${count} ${what} came along and ${count === 1 ? 'was' : 'were'} left out.`,
        where: what,
        measured: count,
      });
  }

  private node(element: XmlNode, depth: number): Node {
    const { file, document } = this;
    if (depth > DEEPEST || this.made.length > MOST_NODES)
      throw file.bad('its nodes are nested too deeply or name each other in a circle');
    const node = document.createNode(nameOf(element, `node ${this.made.length + 1}`));
    const transforms = transformsOf(file, element);
    this.made.push({ element, node, transforms });
    place(file, node, transforms);
    for (const child of element.children) {
      if (child.name === 'node') node.addChild(this.node(child, depth + 1));
      else if (child.name === 'instance_node') {
        const other = file.find(child.attributes.url);
        if (other) node.addChild(this.node(other, depth + 1));
      } else if (child.name === 'instance_geometry') {
        const geometry = file.find(child.attributes.url);
        if (geometry) this.putMesh(this.free(node), geometry, null, child);
        else
          file.say({
            code: 'collada.reference',
            severity: 'warning',
            message: `“${node.getName()}” names the geometry ${child.attributes.url}, which the file lacks.`,
            where: node.getName(),
          });
      } else if (child.name === 'instance_controller') {
        const controller = file.find(child.attributes.url);
        if (controller)
          this.waiting.push({ node: this.free(node), element: child, controller: readController(file, controller) });
        else
          file.say({
            code: 'collada.reference',
            severity: 'warning',
            message: `“${node.getName()}” names the controller ${child.attributes.url}, which the file lacks.`,
            where: node.getName(),
          });
      } else if (child.name === 'instance_light' || child.name === 'instance_camera') {
        const what = child.name === 'instance_light' ? 'lights' : 'cameras';
        this.left.set(what, (this.left.get(what) ?? 0) + 1);
      }
    }
    return node;
  }

  /** The node itself, or a child where it has a mesh already: glTF knows one per node. */
  private free(node: Node): Node {
    if (!node.getMesh() && !this.waiting.some((entry) => entry.node === node)) return node;
    const child = this.document.createNode(`${node.getName()} ${node.listChildren().length + 2}`);
    node.addChild(child);
    return child;
  }

  private putMesh(node: Node, geometry: XmlNode, controller: ColladaController | null, instance: XmlNode | null): void {
    if (!this.meshes.has(geometry)) this.meshes.set(geometry, readMesh(this.file, geometry));
    const found = this.meshes.get(geometry);
    if (!found || found.mesh.faceStart.length < 2) return;
    const mesh = this.document.createMesh(nameOf(geometry, node.getName()));
    const built = buildPrimitives(this.document, found.mesh, this.bindMaterials(found, instance));
    const morphs = controller?.morphs.filter((morph) => morph.deltas.length === found.points * 3) ?? [];
    for (const { prim, origin } of built) {
      mesh.addPrimitive(prim);
      for (const morph of morphs) {
        const delta = spread(morph.deltas, 3, origin);
        prim.addTarget(
          this.document
            .createPrimitiveTarget(morph.name)
            .setAttribute(
              'POSITION',
              this.document.createAccessor().setType('VEC3').setArray(delta).setSparse(isSparse(delta)),
            ),
        );
      }
      if (controller?.skin) writeInfluences(this.document, prim, influencesFor(controller.skin, origin, found.points));
    }
    if (morphs.length)
      mesh
        .setExtras({ targetNames: morphs.map((morph) => morph.name) })
        .setWeights(morphs.map((morph) => (Number.isFinite(morph.weight) ? morph.weight : 0)));
    node.setMesh(mesh);
    if (controller?.skin) this.putSkin(node, mesh, controller.skin, instance);
  }

  private bindMaterials(found: ColladaMesh, instance: XmlNode | null): (Material | null)[] {
    const bindings = instance ? within(instance, 'instance_material') : [];
    return found.symbols.map((symbol) => {
      const binding = bindings.find((entry) => entry.attributes.symbol === symbol);
      const setOf = (semantic: string) => {
        const bound = childrenOf(binding, 'bind_vertex_input').find((entry) => entry.attributes.semantic === semantic);
        const set = bound ? whole(bound.attributes.input_set, 0) : Number(/(\d+)$/.exec(semantic)?.[1] ?? Number.NaN);
        const layer = found.sets.indexOf(set);
        return layer > 0 ? layer : undefined;
      };
      // Without a binding the symbol is often the material's own id.
      return (
        this.materials.get(binding?.attributes.target ?? (symbol ? `#${symbol}` : undefined), setOf) ??
        this.materials.only(setOf)
      );
    });
  }

  private putSkin(node: Node, mesh: Mesh, skin: ColladaSkin, instance: XmlNode | null): void {
    const roots = childrenOf(instance, 'skeleton')
      .map((entry) => this.file.find(entry.text.trim()))
      .filter((entry) => entry !== null);
    const below = new Set<XmlNode>();
    for (const root of roots) {
      below.add(root);
      for (const element of within(root, 'node')) below.add(element);
    }
    const joints = skin.joints.map((name) => this.jointNamed(name, below));
    const lost = skin.joints.filter((_, j) => !joints[j]);
    if (lost.length === joints.length) {
      this.file.say({
        code: 'collada.joints',
        severity: 'error',
        message: `None of the ${lost.length} joints that “${mesh.getName()}” is bound to is in the scene; it stays unbound.`,
        where: mesh.getName(),
      });
      return;
    }
    if (lost.length)
      this.file.say({
        code: 'collada.joints',
        severity: 'warning',
        message: `${lost.length} joints that “${mesh.getName()}” is bound to are not in the scene: ${lost.slice(0, 4).join(', ')}. Their weight stays where the mesh is.`,
        where: mesh.getName(),
        measured: lost.length,
      });
    const made = this.document.createSkin(mesh.getName());
    joints.forEach((joint, j) => {
      made.addJoint(joint ?? this.standIn(skin.joints[j]));
    });
    made.setInverseBindMatrices(this.document.createAccessor().setType('MAT4').setArray(Float32Array.from(skin.binds)));
    node.setSkin(made);
  }

  private jointNamed(name: string, below: ReadonlySet<XmlNode>): Node | null {
    const fits = (key: 'sid' | 'id' | 'name', inside: boolean) =>
      this.made.find(({ element }) => element.attributes[key] === name && (!inside || below.has(element)))?.node;
    return (
      fits('sid', true) ??
      fits('id', true) ??
      fits('name', true) ??
      fits('sid', false) ??
      fits('id', false) ??
      fits('name', false) ??
      null
    );
  }

  private standIn(name: string): Node {
    const node = this.document.createNode(name);
    this.document.getRoot().listScenes()[0].addChild(node);
    return node;
  }
}

function influencesFor(skin: ColladaSkin, origin: Uint32Array, points: number): Influences {
  let most = 1;
  for (let p = 0; p < Math.min(points, skin.start.length - 1); p++)
    most = Math.max(most, skin.start[p + 1] - skin.start[p]);
  const perVertex = Math.ceil(most / 4) * 4;
  const out: Influences = {
    perVertex,
    joints: new Uint16Array(origin.length * perVertex),
    weights: new Float32Array(origin.length * perVertex),
  };
  origin.forEach((point, v) => {
    if (point + 1 >= skin.start.length) return;
    let total = 0,
      k = v * perVertex;
    for (let i = skin.start[point]; i < skin.start[point + 1]; i++)
      if (skin.joint[i] >= 0 && skin.weight[i] > 0) {
        out.joints[k] = skin.joint[i];
        out.weights[k] = skin.weight[i];
        total += skin.weight[i];
        k++;
      }
    if (total > 0) for (let i = v * perVertex; i < k; i++) out.weights[i] /= total;
  });
  return out;
}

/** A node's transforms as translation, rotation and scale; what those can't say (shear) is said. */
export function place(file: Collada, node: Node, transforms: readonly TransformElement[]): void {
  const matrix = matrixOf(transforms);
  const { translation, rotation, scale } = decompose(matrix);
  node.setTranslation(translation).setRotation(rotation).setScale(scale);
  const back = new Float64Array(16);
  compose(back, 0, translation, rotation, scale);
  const size = Math.max(1e-9, ...scale.map(Math.abs));
  if (
    transforms.some(({ sort }) => sort === 'skew' || sort === 'lookat') ||
    back.some((value, i) => i < 12 && Math.abs(value - matrix[i]) > 1e-3 * size)
  )
    file.say({
      code: 'collada.transform',
      severity: 'warning',
      message: `The node “${node.getName()}” is sheared or aimed, which no glTF node can be; it keeps its place, turn and scale.`,
      where: node.getName(),
    });
}
