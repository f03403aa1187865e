import { ActionIcon, Button, NativeSelect, Switch } from '@mantine/core';
import { HOLDS_LEVELS, type Level, MOST_LEVELS, pixelMm } from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberCell } from './NumberCell.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

const FILES = [
  { value: 'each', label: 'A file each' },
  { value: 'one', label: 'All in one file' },
];

/** A level that fits behind those that are there: half of the triangles, from three times as far. */
function nextLevel(triangles: number, fromM: number): Level {
  const share = triangles * 0.5,
    step = share > 2000 ? 500 : 50;
  return {
    triangles: Math.max(1, Math.min(triangles - 1, Math.round(share / step) * step)),
    fromM: Math.round(fromM * 3 * 10) / 10,
    morphs: false,
  };
}

/** Whether parts and levels of detail lie in files of their own, and what the levels are. */
export function LevelFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  const { format, parts = 'one', levels = [], levelsIn = 'each' } = draft.package,
    last = levels.at(-1);
  const set = (part: Partial<typeof draft.package>) => change({ package: { ...draft.package, ...part } }),
    put = (next: Level[]) =>
      set({ levels: next.length ? next : undefined, ...(!next.length && { levelsIn: undefined }) }),
    setAt = (i: number, part: Partial<Level>) =>
      put(levels.map((level, k) => (k === i ? { ...level, ...part } : level)));
  return (
    <Section title="Parts and levels of detail">
      <NativeSelect
        label="Parts"
        {...said('package.parts')}
        value={parts}
        disabled={format === 'vrm'}
        onChange={({ target: { value } }) => set({ parts: value === 'each' ? 'each' : undefined })}
        data={FILES}
      />
      {levels.length > 0 && (
        <NativeSelect
          label="Levels of detail"
          {...said('package.levels')}
          value={levelsIn}
          disabled={!HOLDS_LEVELS.includes(format)}
          onChange={({ target: { value } }) => set({ levelsIn: value === 'one' ? 'one' : undefined })}
          data={FILES}
        />
      )}
      <div className={styles.whole}>
        {levels.length > 0 ? (
          <table className="list" aria-label="Levels of detail">
            <thead>
              <tr>
                <th>Level</th>
                <th>Triangles</th>
                <th>From, m</th>
                <th>Face moves</th>
                <th>A pixel there</th>
                <th />
              </tr>
            </thead>
            <tbody>
              <tr>
                <td>Nearest</td>
                <td className="num">{draft.triangles.max.toLocaleString('en-GB')}</td>
                <td className="num">0</td>
                <td>yes</td>
                <td />
                <td />
              </tr>
              {levels.map((level, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a level is its place in the row
                <tr key={i}>
                  <td className="num">{i + 1}</td>
                  <NumberCell
                    says={`Triangles of level ${i + 1}`}
                    value={level.triangles}
                    least={1}
                    step={500}
                    onChange={(triangles) => setAt(i, { triangles })}
                  />
                  <NumberCell
                    says={`Level ${i + 1} begins at, metres`}
                    value={level.fromM}
                    least={0.1}
                    decimals={1}
                    onChange={(fromM) => setAt(i, { fromM })}
                  />
                  <td>
                    <Switch
                      aria-label={`Face moves in level ${i + 1}`}
                      checked={level.morphs}
                      onChange={(event) => setAt(i, { morphs: event.currentTarget.checked })}
                    />
                  </td>
                  <td className="num">{pixelMm(level.fromM).toFixed(1)} mm</td>
                  <td>
                    <ActionIcon
                      variant="default"
                      size="sm"
                      aria-label={`Take out level ${i + 1}`}
                      onClick={() => put(levels.filter((_, k) => k !== i))}
                    >
                      ×
                    </ActionIcon>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <p className="quiet only">One level of detail: what the limits above describe.</p>
        )}
        <Button
          variant="default"
          size="compact-sm"
          disabled={levels.length >= MOST_LEVELS}
          onClick={() =>
            put([
              ...levels,
              nextLevel(last?.triangles ?? draft.triangles.max, last?.fromM ?? (draft.appearance.nearestM * 5) / 3),
            ])
          }
        >
          Add a level
        </Button>
      </div>
    </Section>
  );
}
