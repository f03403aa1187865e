import type { Document } from '@gltf-transform/core';
import { ownOf } from './own-extras.ts';

/** Parameters of a material that glTF has no place for, by name; colours linear. */
export type BeyondGltf = Record<string, number | [number, number, number]>;

/** Parameters beyond glTF of every material that has any, by its name. */
export const beyondOf = (document: Document): Record<string, BeyondGltf> =>
  Object.fromEntries(
    document
      .getRoot()
      .listMaterials()
      .flatMap((material) => {
        const found = ownOf(material, 'beyond');
        return found ? [[material.getName(), found]] : [];
      }),
  );
