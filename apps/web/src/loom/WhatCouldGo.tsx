import { Button } from '@mantine/core';
import { jointGroups, type JointPlan, type Skeleton } from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { useMemo } from 'react';

interface WhatCouldGoProps {
  document: Document;
  skeleton: Skeleton;
  plans: readonly JointPlan[];
  /** What a turn of 20° of each joint moves, millimetres RMS: lost where it goes. */
  lossMm: Float64Array;
  ties: Readonly<Record<string, string>>;
  limit: number | undefined;
  onTies: (ties: Record<string, string>) => void;
  onPick: (joint: string) => void;
}

/** Sorts of joints in the order in which they are given up, each with its cost, to let go or keep before anything runs. */
export function WhatCouldGo({ document, skeleton, plans, lossMm, ties, limit, onTies, onPick }: WhatCouldGoProps) {
  // Roles as found, not as tied, so that a sort doesn't change under the hand that ties it.
  const groups = useMemo(
    () =>
      jointGroups(
        document,
        skeleton,
        plans.map((plan) => plan.found),
      ),
    [document, skeleton, plans],
  );
  if (!groups.length) return null;
  const name = (joint: number) => skeleton.joints[joint].getName();
  const kept = plans.filter((plan) => plan.target !== null).length,
    idle = groups.filter((group) => group.idle).reduce((sum, group) => sum + group.joints.length, 0);
  const change = (joints: readonly number[], go: boolean) => {
    const next = { ...ties };
    for (const joint of joints) {
      if (go) next[name(joint)] = '';
      else delete next[name(joint)];
    }
    onTies(next);
  };
  return (
    <details className="folded">
      <summary>
        What could go, and what it costs:{' '}
        <span className="quiet">
          {kept} stay{limit === undefined ? '' : ` of ${limit} allowed`}
          {idle ? `, ${idle} move nothing` : ''}
        </span>
      </summary>
      <table className="list">
        <thead>
          <tr>
            <th>In this order</th>
            <th className="n">Joints</th>
            <th className="n" title="Root mean square of what a turn of 20° moves, the dearest joint of the sort">
              Lost, mm
            </th>
            <th aria-label="Choice" />
          </tr>
        </thead>
        <tbody>
          {groups.map((group) => {
            const gone = group.joints.filter((joint) => plans[joint]?.target === null).length,
              byHand = group.joints.filter((joint) => ties[name(joint)] === '').length;
            const dearest = group.joints.reduce(
              (best, joint) => (lossMm[joint] > lossMm[best] ? joint : best),
              group.joints[0],
            );
            return (
              <tr key={group.id} data-group={group.id}>
                <td>
                  <button
                    type="button"
                    className="bare"
                    title={group.joints.slice(0, 12).map(name).join(', ')}
                    onClick={() => onPick(name(dearest))}
                  >
                    {group.title[0].toUpperCase() + group.title.slice(1)}
                  </button>
                </td>
                <td className="n num">{gone ? `${gone} of ${group.joints.length} go` : group.joints.length}</td>
                <td className="n num">
                  {group.idle ? '0' : lossMm[dearest] < 0.05 ? '< 0.1' : lossMm[dearest].toFixed(1)}
                </td>
                <td className="n num">
                  {byHand === group.joints.length ? (
                    <Button size="compact-xs" variant="default" onClick={() => change(group.joints, false)}>
                      Keep
                    </Button>
                  ) : gone === group.joints.length ? (
                    <span className="quiet">go by the target</span>
                  ) : (
                    <Button size="compact-xs" variant="default" onClick={() => change(group.joints, true)}>
                      Let go
                    </Button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </details>
  );
}
