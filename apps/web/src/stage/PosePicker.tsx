import { RANGE_OF_MOTION } from '@dimetra/core';
import { Popover } from '@mantine/core';
import { IconChevronLeft, IconChevronRight, IconX } from '@tabler/icons-react';
import { useState } from 'react';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { clipChosen, posed } from '../store/view-slice.ts';

const POSES = RANGE_OF_MOTION.map((entry) => entry.name);

/** The pose or clip that both figures take. The list closes on a choice, so that nothing lies over the figures; from a pose the next and the last are a press away. */
export function PosePicker({ clips }: { clips: readonly { name: string }[] }) {
  const dispatch = useAppDispatch();
  const { pose, clip, turned } = useAppSelector((state) => state.view);
  const [open, setOpen] = useState(false);
  const byHand = Object.keys(turned).length > 0;
  const choose = (act: () => void) => {
    act();
    setOpen(false);
  };
  const step = (by: number) => dispatch(posed(POSES[(POSES.indexOf(pose ?? '') + by + POSES.length) % POSES.length]));
  return (
    <>
      <Popover position="top" withArrow width={210} trapFocus returnFocus opened={open} onChange={setOpen}>
        <Popover.Target>
          <button type="button" aria-pressed={pose !== null || clip !== null || byHand} onClick={() => setOpen(!open)}>
            {pose ? `Pose: ${pose}` : byHand ? 'Posed by hand' : (clip ?? 'Pose')}
          </button>
        </Popover.Target>
        <Popover.Dropdown p={4}>
          <div className="stack scrolls">
            <button type="button" className="crumb" onClick={() => choose(() => dispatch(posed(null)))}>
              At rest
            </button>
            {clips.map(({ name }) => (
              <button
                key={name}
                type="button"
                className={`crumb ${clip === name ? 'here' : ''}`}
                onClick={() => choose(() => dispatch(clipChosen(name)))}
              >
                ▸ {name}
              </button>
            ))}
            {POSES.map((name) => (
              <button
                key={name}
                type="button"
                className={`crumb ${pose === name ? 'here' : ''}`}
                onClick={() => choose(() => dispatch(posed(name)))}
              >
                {name}
              </button>
            ))}
          </div>
        </Popover.Dropdown>
      </Popover>
      {pose && (
        <>
          <button type="button" aria-label="The pose before" title="The pose before" onClick={() => step(-1)}>
            <IconChevronLeft size={15} />
          </button>
          <button type="button" aria-label="The next pose" title="The next pose" onClick={() => step(1)}>
            <IconChevronRight size={15} />
          </button>
          <button type="button" aria-label="Back to rest" title="Back to rest" onClick={() => dispatch(posed(null))}>
            <IconX size={15} />
          </button>
        </>
      )}
    </>
  );
}
