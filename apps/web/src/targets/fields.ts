import type { Target } from '@dimetra/core';

/** A card of the target's editor: what is written so far, and how a part of it is changed. */
export interface FieldsProps {
  draft: Target;
  change(part: Partial<Target>): void;
}
