import { useMemo } from 'react';
import { useDesk } from '../desk/context.ts';

/** What a source joint is called in the result: renamed, merged into another, or the same. */
export function useResultJoint(joint: string | null): string | null {
  const { figures } = useDesk();
  return useMemo(() => {
    if (!joint || !figures.result) return joint;
    const extras = figures.result.document.getRoot().getExtras().dimetra as { renamedJoints?: Record<string, string>; mergedJoints?: Record<string, string> } | undefined;
    return extras?.renamedJoints?.[joint] ?? extras?.mergedJoints?.[joint] ?? joint;
  }, [joint, figures.result]);
}
