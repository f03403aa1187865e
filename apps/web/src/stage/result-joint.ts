import { useCallback } from 'react';
import { useDesk } from './context.ts';

type Names = Record<string, string> | undefined;
function useNames(): { renamed: Names; merged: Names } {
  const { figures } = useDesk();
  const extras = figures.result?.document.getRoot().getExtras().dimetra as
    | { renamedJoints?: Record<string, string>; mergedJoints?: Record<string, string> }
    | undefined;
  return { renamed: extras?.renamedJoints, merged: extras?.mergedJoints };
}

/** What a source joint is called in the result: renamed, merged into another, or the same. */
export function useResultNames(): (joint: string) => string {
  const { renamed, merged } = useNames();
  return useCallback((joint) => renamed?.[joint] ?? merged?.[joint] ?? joint, [renamed, merged]);
}

/** The source joint that a joint of the result was. */
export function useSourceNames(): (joint: string) => string {
  const { renamed } = useNames();
  return useCallback(
    (joint) => Object.entries(renamed ?? {}).find(([, name]) => name === joint)?.[0] ?? joint,
    [renamed],
  );
}
