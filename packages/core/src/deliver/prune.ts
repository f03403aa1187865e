import { type AnimationSampler, type Document, type Property, PropertyType } from '@gltf-transform/core';

/**
 * Takes out what nothing shown or played needs: arrays and surfaces that steps replaced, samplers whose channels went,
 * skins without a mesh, nodes outside every scene. Joints that only a skin names stay: that they hang nowhere is a
 * fault to be found, not to be hidden.
 */
export function pruneUnused(document: Document): void {
  const root = document.getRoot(),
    graph = document.getGraph();
  for (const clip of root.listAnimations()) {
    const used = new Set<AnimationSampler | null>(clip.listChannels().map((channel) => channel.getSampler()));
    for (const sampler of clip.listSamplers()) if (!used.has(sampler)) sampler.dispose();
    if (!clip.listChannels().length) clip.dispose();
  }
  const kept = new Set<Property>([root]),
    stack: Property[] = [...root.listScenes(), ...root.listAnimations(), ...root.listBuffers()];
  // What extensions hang on the root itself (variants and the like) stays.
  for (const edge of graph.listChildEdges(root))
    if (!OWN_LISTS.has(edge.getChild().propertyType)) stack.push(edge.getChild());
  while (stack.length) {
    const at = stack.pop() as Property;
    if (kept.has(at)) continue;
    kept.add(at);
    for (const edge of graph.listChildEdges(at)) stack.push(edge.getChild());
  }
  const all = new Set<Property>();
  for (const edge of graph.listEdges()) {
    all.add(edge.getChild() as Property);
    all.add(edge.getParent() as Property);
  }
  for (const property of all) if (!kept.has(property) && !property.isDisposed()) property.dispose();
}

/** Everything of these kinds is held by the root just for being there. */
const OWN_LISTS = new Set<string>([
  PropertyType.ACCESSOR,
  PropertyType.ANIMATION,
  PropertyType.BUFFER,
  PropertyType.CAMERA,
  PropertyType.MATERIAL,
  PropertyType.MESH,
  PropertyType.NODE,
  PropertyType.SCENE,
  PropertyType.SKIN,
  PropertyType.TEXTURE,
]);
