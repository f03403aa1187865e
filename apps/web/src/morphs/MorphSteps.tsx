import { Button } from '@mantine/core';
import { BASE, flippedName } from '@dimetra/core';
import type { ReactNode } from 'react';
import { useDesk } from '../stage/context.ts';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { ExpressionsCard } from './ExpressionsCard.tsx';
import styles from './Morphs.module.css';
import { useMorphSettings } from './use-morphs.ts';

/** What the station will do, step by step, each thing with a way to take it back. */
export function MorphSteps() {
  const { fold, setFold, drop, setDrop, mirror, setMirror, split, setSplit, carry, setCarry, decided } =
      useMorphSettings(),
    without = (list: readonly string[] | undefined, name: string) => {
      const left = list?.filter((each) => each !== name);
      return left?.length ? left : undefined;
    };
  const named = mirror.names === BASE ? undefined : mirror.names,
    weights = Object.entries(fold.fold ?? {}).filter(([, weight]) => weight);
  return (
    <details className="folded">
      <summary>
        {summaryOf(decided.size, mirror.names === BASE, [
          drop.empty,
          drop.duplicates,
          drop.toLimit,
          Boolean(drop.belowMm),
        ])}
      </summary>
      <StepCard step="morphs.carry">
        <Setting step="morphs.carry" name="all" />
        <Chips label="Carried" none="Or tick morphs below and choose Carry.">
          {carry.names?.map((name) => (
            <Chip key={name} onRemove={() => setCarry('names', without(carry.names, name))}>
              {name}
            </Chip>
          ))}
        </Chips>
      </StepCard>
      <StepCard step="morphs.mirror">
        <Setting step="morphs.mirror" name="from" />
        <Button
          size="compact-xs"
          variant="default"
          disabled={named !== undefined}
          title={named ? 'Morphs are copied; take these out first' : undefined}
          onClick={() => setMirror('names', mirror.names === BASE ? undefined : BASE)}
        >
          {mirror.names === BASE ? 'Leave the shape at rest as it is' : 'Copy the shape at rest over'}
        </Button>
        <Chips label="One side copied over">
          {mirror.names === BASE && <Chip onRemove={() => setMirror('names', undefined)}>shape at rest</Chip>}
          {named?.map((name) => (
            <Chip key={name} onRemove={() => setMirror('names', without(named, name))}>
              {name}
            </Chip>
          ))}
        </Chips>
        <Chips label="Counterparts made">
          {mirror.flip?.map((name) => (
            <Chip key={name} onRemove={() => setMirror('flip', without(mirror.flip, name))}>
              {name} → {flippedName(name)}
            </Chip>
          ))}
        </Chips>
      </StepCard>
      <StepCard step="morphs.split">
        <Chips label="Split" none="Tick morphs below and choose Sides.">
          {split.names?.map((name) => (
            <Chip key={name} onRemove={() => setSplit('names', without(split.names, name))}>
              {name}
            </Chip>
          ))}
        </Chips>
        <Chips label="Joined">
          {split.join?.map((name) => (
            <Chip key={name} onRemove={() => setSplit('join', without(split.join, name))}>
              {name}
            </Chip>
          ))}
        </Chips>
      </StepCard>
      <StepCard step="morphs.fold">
        <Setting step="morphs.fold" name="keep" />
        <Setting step="morphs.fold" name="joints" />
        <Chips label="Into the shape at rest" none="Dial a mix and fold it.">
          {weights.map(([name, weight]) => (
            <Chip
              key={name}
              onRemove={() => {
                const left = Object.fromEntries(weights.filter(([each]) => each !== name));
                setFold('fold', Object.keys(left).length ? left : undefined);
              }}
            >
              {name} {weight.toFixed(2).replace('-', '−')}
            </Chip>
          ))}
        </Chips>
        <Chips label="Into one morph each">
          {fold.mixes?.map((mix) => (
            <Chip
              key={mix.name}
              onRemove={() => {
                const left = fold.mixes?.filter((each) => each.name !== mix.name);
                setFold('mixes', left?.length ? left : undefined);
              }}
            >
              {mix.name}: {Object.keys(mix.weights).length}
            </Chip>
          ))}
        </Chips>
      </StepCard>
      <ExpressionsCard />
      <StepCard step="morphs.drop">
        <Setting step="morphs.drop" name="empty" />
        <Setting step="morphs.drop" name="duplicates" />
        <Setting step="morphs.drop" name="toLimit" />
        <Setting step="morphs.drop" name="belowMm" />
        <Chips label="Dropped">
          {drop.names?.map((name) => (
            <Chip key={name} onRemove={() => setDrop('names', without(drop.names, name))}>
              {name}
            </Chip>
          ))}
        </Chips>
        <Chips label="Always kept">
          {drop.keep?.map((name) => (
            <Chip key={name} onRemove={() => setDrop('keep', without(drop.keep, name))}>
              {name}
            </Chip>
          ))}
        </Chips>
      </StepCard>
    </details>
  );
}

/** What the steps were told, in a line. */
function summaryOf(decided: number, base: boolean, tidy: readonly (boolean | undefined)[]): string {
  const said = [
    base ? 'the shape at rest mirrored' : '',
    decided ? `${decided} ${decided === 1 ? 'morph' : 'morphs'} decided` : '',
    tidy.some(Boolean) ? 'tidied' : '',
  ].filter(Boolean);
  return `What the run does: ${said.join(', ') || 'nothing is decided, all are kept'}`;
}

/** What the last run has to say of the morphs. */
export function MorphFindings() {
  const { run } = useDesk();
  return run?.steps
    .filter((step) => step.id.startsWith('morphs.'))
    .flatMap((step) => step.findings)
    .map((finding) => <FindingCard key={`${finding.code} ${finding.where ?? ''}`} finding={finding} />);
}

function Chips({ label, none, children }: { label: string; none?: string; children: ReactNode }) {
  const any = [children].flat(2).some(Boolean);
  if (!any && !none) return null;
  return (
    <div className={styles.chips} role="group" aria-label={label}>
      <span className="quiet">{label}</span>
      {any ? children : <span className="quiet">{none}</span>}
    </div>
  );
}
function Chip({ children, onRemove }: { children: ReactNode; onRemove(): void }) {
  return (
    <button type="button" className={`chip ${styles.chip}`} onClick={onRemove} title="Take out">
      {children} ×
    </button>
  );
}
