import { sampleMotions, skeletonOf } from '@dimetra/core';
import { Bone, CapsuleGeometry, Group, Mesh, MeshLambertMaterial, Quaternion, SphereGeometry, Vector3 } from 'three';
import type { Node } from '@gltf-transform/core';

/** A plain figure of rounded pieces, as tall as a person, on the skeleton of the motions that ship: walks until the package is there, and stands beside it for scale. */
export function buildStandIn(color: number): Group {
  const document = sampleMotions(),
    { joints } = skeletonOf(document),
    root = new Group(),
    bones = new Map<Node, Bone>(),
    material = new MeshLambertMaterial({ color });
  for (const joint of joints) {
    const bone = new Bone();
    bone.name = joint.getName();
    bone.position.fromArray(joint.getTranslation());
    bone.quaternion.fromArray(joint.getRotation());
    const above = joint.getParentNode();
    ((above && bones.get(above)) ?? root).add(bone);
    bones.set(joint, bone);
  }
  for (const bone of bones.values()) {
    for (const child of bone.children.filter((one) => (one as Bone).isBone))
      bone.add(limb(child.position, widthOf(bone.name), material));
    if (bone.name === 'mo_skull') {
      const head = new Mesh(new SphereGeometry(0.105, 16, 12), material);
      head.position.set(0, 0.09, 0.015);
      head.scale.set(0.85, 1.15, 0.95);
      bone.add(head);
    }
    if (/_ball$/.test(bone.name)) bone.add(limb(new Vector3(0, -0.01, 0.07), 0.035, material));
  }
  root.traverse((object) => {
    object.castShadow = true;
  });
  return root;
}

const widthOf = (name: string): number =>
  /pelvis|back|chest/.test(name) ? 0.1 : /hip|knee$/.test(name) ? 0.06 : /upper|fore|throat/.test(name) ? 0.042 : 0.035;

function limb(to: Vector3, width: number, material: MeshLambertMaterial): Mesh {
  const length = to.length(),
    mesh = new Mesh(new CapsuleGeometry(width, Math.max(0.01, length - width * 0.6), 4, 10), material);
  mesh.position.copy(to).multiplyScalar(0.5);
  mesh.quaternion.copy(new Quaternion().setFromUnitVectors(new Vector3(0, 1, 0), to.clone().normalize()));
  return mesh;
}
