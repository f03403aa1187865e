import { Button } from '@mantine/core';
import { FindingList } from '../step/FindingList.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { useDesk } from '../stage/context.ts';

/** The Skeleton station for a target that asks for no skeleton. */
export function StaticFigure({ joints }: { joints: number }) {
  const { target, run, onOpen } = useDesk();
  return (
    <>
      <StepHead step="skeleton.bake" title="Skeleton">
        “{target.title}” asks for a static figure.{' '}
        {joints
          ? `The ${joints} joints hold the mesh in its rest pose, are taken into it and then left out, with the clips that move them; morphs stay.`
          : 'The character has no skeleton, so there is nothing to take into the mesh.'}
      </StepHead>
      <FindingList findings={run?.steps.find((step) => step.id === 'skeleton.bake')?.findings ?? []} />
      {joints > 0 && (
        <Button size="compact-xs" variant="default" onClick={() => onOpen('rest-pose')}>
          Choose the pose it stands in
        </Button>
      )}
    </>
  );
}
