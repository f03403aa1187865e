import { Button, NumberInput } from '@mantine/core';
import { useEffect, useRef } from 'react';
import { useDesk } from '../stage/context.ts';
import { StepCard } from '../step/StepCard.tsx';
import { useAppDispatch } from '../store/store.ts';
import { jumped, lookChosen, posed, viewChosen } from '../store/view-slice.ts';
import styles from './FitBench.module.css';
import type { PinDraft, PinKind } from '../figure/pins.ts';

const BEGIN: readonly { kind: PinKind; title: string }[] = [
  { kind: 'pin', title: 'Pin a place' },
  { kind: 'curve', title: 'Pin a curve' },
  { kind: 'leave', title: 'Leave a region' },
];

function asks({ kind, of, to }: PinDraft): string {
  if (kind === 'leave') return 'Point at the middle of the region on the result.';
  if (kind === 'curve')
    return `Point along the curve from end to end, on the result and on the source, two places each at least: ${of.length} and ${to.length} so far.`;
  return of.length
    ? 'Now point at where it belongs, on the source.'
    : 'Point at a place of the new skin, on the result.';
}

/** Pins and regions left alone: pointed out on the stage, listed here. */
export function PinsCard() {
  const { pins: at } = useDesk(),
    dispatch = useAppDispatch(),
    stop = useRef<HTMLButtonElement>(null),
    begin = (kind: PinKind) => {
      for (const action of [viewChosen('pair'), posed(null), lookChosen('material'), jumped('head')]) dispatch(action);
      at.begin(kind);
    },
    isAsking = at.draft !== null;
  useEffect(() => {
    if (isAsking) stop.current?.focus();
  }, [isAsking]);
  return (
    <StepCard step="fit.pins">
      <div className={styles.pins}>
        {at.draft ? (
          <>
            <p role="status">
              {asks(at.draft)} Arrow keys move the picture while the stage has the focus, Enter takes what is under the
              cross.
            </p>
            <div className="row">
              {at.draft.kind === 'curve' && (
                <Button size="compact-xs" disabled={!at.canFinish} onClick={at.finish}>
                  Pin the curve
                </Button>
              )}
              <Button ref={stop} size="compact-xs" variant="default" onClick={at.cancel}>
                Not now
              </Button>
            </div>
          </>
        ) : (
          <div className="row">
            {BEGIN.map(({ kind, title }) => (
              <Button key={kind} size="compact-xs" variant="default" onClick={() => begin(kind)}>
                {title}
              </Button>
            ))}
          </div>
        )}
        {at.pins.map(({ of, around }, i) => (
          <Row
            key={JSON.stringify(of)}
            list="pins"
            number={i}
            name={`${of.length > 1 ? 'Curve' : 'Pin'} ${i + 1}`}
            where={of[0].part}
            around={around}
          />
        ))}
        {at.leave.map(({ at: middle, around }, i) => (
          <Row
            key={JSON.stringify(middle)}
            list="leave"
            number={i}
            name={`Region ${i + 1}`}
            where={middle.part}
            around={around}
          />
        ))}
      </div>
    </StepCard>
  );
}

interface RowOf {
  list: 'pins' | 'leave';
  number: number;
  name: string;
  where: string;
  around: number | undefined;
}
function Row({ list, number, name, where, around }: RowOf) {
  const { pins: at } = useDesk(),
    key = `${list} ${number}`;
  return (
    <div className={styles.pin} data-chosen={at.chosen === key || undefined}>
      <Button
        size="compact-xs"
        variant="subtle"
        aria-pressed={at.chosen === key}
        onClick={() => at.choose(at.chosen === key ? null : key)}
      >
        {name}
      </Button>
      <span className="quiet">{where}</span>
      <NumberInput
        size="xs"
        aria-label={`${name}: how far around, mm`}
        placeholder="by itself"
        suffix=" mm"
        min={2}
        max={300}
        value={around ?? ''}
        onChange={(value) => {
          const now = Number(value);
          if (value === '') {
            if (list === 'pins' && around !== undefined) at.putAround(list, number, undefined);
          } else if (now >= 2 && now <= 300 && now !== around) at.putAround(list, number, now);
        }}
      />
      <Button
        size="compact-xs"
        variant="default"
        aria-label={`Take ${name} away`}
        onClick={() => at.remove(list, number)}
      >
        Take away
      </Button>
    </div>
  );
}
