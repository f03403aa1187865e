import {
  Extension,
  ExtensionProperty,
  type Graph,
  type IProperty,
  type Node,
  type Nullable,
  PropertyType,
  type ReaderContext,
  RefList,
  type WriterContext,
} from '@gltf-transform/core';

/** Vendor extension of the glTF registry: a node names others that stand in for it further away. */
export const LEVELS = 'MSFT_lod';

interface ILevels extends IProperty {
  levels: RefList<Node>;
}

/** The nodes that stand in for the node it hangs on, the next further one first. They are part of no scene. */
export class LevelsOf extends ExtensionProperty<ILevels> {
  static override EXTENSION_NAME = LEVELS;
  declare extensionName: typeof LEVELS;
  declare propertyType: 'LevelsOf';
  declare parentTypes: [PropertyType.NODE];

  protected override init(): void {
    this.extensionName = LEVELS;
    this.propertyType = 'LevelsOf';
    this.parentTypes = [PropertyType.NODE];
  }
  protected override getDefaults(): Nullable<ILevels> {
    return Object.assign(super.getDefaults(), { levels: new RefList<Node>() });
  }
  addLevel(node: Node): this {
    return this.addRef('levels', node);
  }
  listLevels(): Node[] {
    return this.listRefs('levels');
  }
}

/**
 * Writes levels of detail (MSFT_lod, Khronos registry of vendor extensions). What is read is settled by our reader from
 * the JSON: a character is its nearest level.
 */
export class LevelsExtension extends Extension {
  static override readonly EXTENSION_NAME = LEVELS;
  override readonly extensionName = LEVELS;

  createLevels(): LevelsOf {
    return new LevelsOf(this.document.getGraph() as unknown as Graph<never> as never);
  }
  read(_: ReaderContext): this {
    return this;
  }
  write({ jsonDoc, nodeIndexMap }: WriterContext): this {
    for (const node of this.document.getRoot().listNodes()) {
      const own = node.getExtension<LevelsOf>(LEVELS),
        written = jsonDoc.json.nodes?.[nodeIndexMap.get(node) ?? -1];
      if (own && written)
        written.extensions = {
          ...written.extensions,
          [LEVELS]: { ids: own.listLevels().map((one) => nodeIndexMap.get(one)) },
        };
    }
    return this;
  }
}
