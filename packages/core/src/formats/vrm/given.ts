import type { Dossier } from '../../character/index.ts';
import type { VrmMeta } from '../../targets/index.ts';

/** What a VRM file says that the document itself doesn't. */
export interface VrmGiven {
  /** What the figure is called. */
  title: string;
  /** Joint name → role. */
  roles: Readonly<Record<string, string>>;
  /** Names of expressions that the target asks for. */
  asked: readonly string[];
  /** What the target says of authors and licence; it goes before what came with the figure. */
  meta: VrmMeta;
  /** What came with a VRM file, and joints that were renamed since. */
  kept?: Dossier['vrm'];
  renamed?: Readonly<Record<string, string>>;
  /** Who made the figure, where its file said so. */
  copyright?: string;
}
