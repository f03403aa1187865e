import { Document, type Node } from '@gltf-transform/core';
import {
  type HumanoidRole,
  jointRoles,
  makeSkin,
  roleIndex,
  type Skeleton,
  skeletonOf,
  updateDossier,
} from '@dimetra/core';
import { type Bone, type Object3D, Vector3 } from 'three';

/** Joints of a figure that another loader opened, and which of them are what. */
export interface Puppet {
  root: Object3D;
  skeleton: Skeleton;
  /** The loader's joint of each of the skeleton's. */
  bones: Object3D[];
  roles: ReadonlyMap<HumanoidRole, number>;
}

/** What a joint is called in the file; a loader may have taken blanks and dots out. */
export const fileNameOf = (object: Object3D): string =>
  typeof object.userData.name === 'string' && object.userData.name ? object.userData.name : object.name;

/**
 * A figure's joints as it stands, for motions to be played on; null where it has none.
 * @param declared roles by the joints' names, where the report says them; else they are found by names and shape
 */
export function puppetOf(root: Object3D, declared: Readonly<Record<string, string>> = {}): Puppet | null {
  root.updateMatrixWorld(true);
  const own: Object3D[] = [];
  root.traverse((object) => {
    if ((object as Bone).isBone) own.push(object);
  });
  if (!own.length) return null;
  const wanted = new Set<Object3D>();
  for (const bone of own) for (let at: Object3D | null = bone; at && at !== root; at = at.parent) wanted.add(at);
  const document = new Document(),
    scene = document.createScene(),
    nodes = new Map<Object3D, Node>();
  document.createBuffer();
  // A loader may turn and scale the whole there.
  const top = document
    .createNode('proving ground')
    .setTranslation(root.position.toArray())
    .setRotation(root.quaternion.toArray() as [number, number, number, number])
    .setScale(root.scale.toArray());
  scene.addChild(top);
  const visit = (object: Object3D, above: Node): void => {
    for (const child of object.children) {
      if (!wanted.has(child)) continue;
      const node = document
        .createNode(fileNameOf(child))
        .setTranslation(child.position.toArray())
        .setRotation(child.quaternion.toArray() as [number, number, number, number])
        .setScale(child.scale.toArray());
      above.addChild(node);
      nodes.set(child, node);
      visit(child, node);
    }
  };
  visit(root, top);
  makeSkin(
    document,
    'figure',
    own.map((bone) => nodes.get(bone) as Node),
  );
  const names = new Set(own.map(fileNameOf)),
    known = Object.fromEntries(Object.entries(declared).filter(([name]) => names.has(name)));
  updateDossier(document, { declaredRoles: known });
  const skeleton = skeletonOf(document),
    ofNode = new Map([...nodes].map(([object, node]) => [node, object]));
  return {
    root,
    skeleton,
    bones: skeleton.joints.map((node) => ofNode.get(node) as Object3D),
    roles: roleIndex(jointRoles(document, skeleton)),
  };
}

/** Hip to ankle as it stands, metres; null where it has none. */
export function legOf({ bones, roles }: Puppet): number | null {
  const [hip, foot] = (['leftUpperLeg', 'leftFoot'] as const).map((role) => bones[roles.get(role) ?? -1]);
  return hip && foot
    ? new Vector3()
        .setFromMatrixPosition(hip.matrixWorld)
        .distanceTo(new Vector3().setFromMatrixPosition(foot.matrixWorld))
    : null;
}
