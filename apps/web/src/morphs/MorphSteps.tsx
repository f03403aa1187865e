import { Button, MultiSelect } from '@mantine/core';
import { BASE, flippedName, REGIONS, type Region } from '@dimetra/core';
import { REGION_NAMES } from '../shared/region-names.ts';
import { useDesk } from '../stage/context.ts';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { ExpressionsCard } from './ExpressionsCard.tsx';
import styles from './Morphs.module.css';
import { NamePattern } from './NamePattern.tsx';
import { useMorphSettings } from './use-morphs.ts';

/** What the station will do, step by step, each thing with a way to take it back. */
export function MorphSteps() {
  const { fold, setFold, drop, setDrop, mirror, setMirror, split, setSplit, carry, setCarry, decided } =
      useMorphSettings(),
    ofBase = mirror.names === BASE,
    named = mirror.names === BASE ? undefined : mirror.names,
    weights = fold.fold ?? {};
  return (
    <details className="folded">
      <summary>
        {summaryOf(decided.size, ofBase, [drop.empty, drop.duplicates, drop.toLimit, Boolean(drop.belowMm)])}
      </summary>
      <StepCard step="morphs.carry">
        <Setting step="morphs.carry" name="all" />
        <Listed
          label="Carried"
          none="Or tick morphs below and choose Carry."
          names={carry.names}
          onChange={(names) => setCarry('names', names)}
        />
      </StepCard>
      <StepCard step="morphs.mirror">
        <Setting step="morphs.mirror" name="from" />
        <Button
          size="compact-xs"
          variant="default"
          disabled={named !== undefined}
          title={named ? 'Morphs are copied; take these out first' : undefined}
          onClick={() => setMirror('names', ofBase ? undefined : BASE)}
        >
          {ofBase ? 'Leave the shape at rest as it is' : 'Copy the shape at rest over'}
        </Button>
        <MultiSelect
          size="xs"
          label="Only in"
          w="100%"
          clearable
          searchable
          placeholder={mirror.regions?.length ? undefined : 'the whole figure'}
          value={mirror.regions ?? []}
          onChange={(value) => setMirror('regions', value.length ? (value as Region[]) : undefined)}
          data={REGIONS.map((region) => ({ value: region, label: REGION_NAMES[region] }))}
        />
        <Listed label="One side copied over" names={named} onChange={(names) => setMirror('names', names)} />
        <Listed
          label="Counterparts made"
          names={mirror.flip}
          say={(name) => `${name} → ${flippedName(name)}`}
          onChange={(names) => setMirror('flip', names)}
        />
      </StepCard>
      <StepCard step="morphs.split">
        <Listed
          label="Split"
          none="Tick morphs below and choose Sides."
          names={split.names}
          onChange={(names) => setSplit('names', names)}
        />
        <Listed label="Joined" names={split.join} onChange={(names) => setSplit('join', names)} />
      </StepCard>
      <StepCard step="morphs.fold">
        <Setting step="morphs.fold" name="keep" />
        <Setting step="morphs.fold" name="joints" />
        <Listed
          label="Into the shape at rest"
          none="Dial a mix and fold it."
          names={Object.keys(weights).filter((name) => weights[name])}
          say={(name) => `${name} ${weights[name].toFixed(2).replace('-', '−')}`}
          onChange={(names) => setFold('fold', names && Object.fromEntries(names.map((name) => [name, weights[name]])))}
        />
        <Listed
          label="Into one morph each"
          names={fold.mixes?.map((mix) => mix.name)}
          onChange={(names) => setFold('mixes', names && fold.mixes?.filter((mix) => names.includes(mix.name)))}
        />
      </StepCard>
      <ExpressionsCard />
      <StepCard step="morphs.drop">
        <Setting step="morphs.drop" name="empty" />
        <Setting step="morphs.drop" name="duplicates" />
        <Setting step="morphs.drop" name="toLimit" />
        <Setting step="morphs.drop" name="belowMm" />
        <Listed label="Dropped" names={drop.names} onChange={(names) => setDrop('names', names)} />
        <Listed label="Always kept" names={drop.keep} onChange={(names) => setDrop('keep', names)} />
      </StepCard>
      <StepCard step="morphs.name">
        <NamePattern />
        <Setting step="morphs.name" name="words" />
        <Setting step="morphs.name" name="order" />
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

interface ListedProps {
  label: string;
  /** What to do where nothing is listed; then nothing is shown without it. */
  none?: string;
  names: readonly string[] | undefined;
  say?(name: string): string;
  onChange(names: string[] | undefined): void;
}

/** Names that something is decided of; a press takes one out. */
function Listed({ label, none, names = [], say = (name) => name, onChange }: ListedProps) {
  if (!names.length) return none ? <p className={`quiet ${styles.none}`}>{none}</p> : null;
  return (
    <div className={styles.chips} role="group" aria-label={label}>
      <span className="quiet">{label}</span>
      {names.map((name) => (
        <button
          key={name}
          type="button"
          className={`chip ${styles.chip}`}
          title="Take out"
          onClick={() => {
            const left = names.filter((each) => each !== name);
            onChange(left.length ? left : undefined);
          }}
        >
          {say(name)} ×
        </button>
      ))}
    </div>
  );
}
