import { ActionIcon, Button, NativeSelect, TextInput } from '@mantine/core';
import { type Grade, MOST_GRADES } from '@dimetra/core';
import type { FieldsProps } from './fields.ts';
import { NumberCell } from './NumberCell.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

const SIDES = [4096, 2048, 1024, 512, 256, 128];

/** A grade that fits behind those that are there: two fifths of the triangles, maps of half the side, from three times as far. */
function nextGrade(
  all: readonly Grade[],
  { triangles, maxSize, nearestM }: Required<Pick<Grade, 'triangles' | 'maxSize' | 'nearestM'>>,
): Grade {
  const n = all.length + 1,
    taken = new Set(all.map(({ id }) => id));
  let id = `grade-${n}`;
  for (let k = n + 1; taken.has(id); k++) id = `grade-${k}`;
  return {
    id,
    title: `Grade ${n}`,
    triangles: Math.max(1, Math.round((triangles * 0.4) / 100) * 100),
    maxSize: Math.max(128, maxSize / 2),
    nearestM: Math.min(100, Math.round(nearestM * 30) / 10),
    apart: 3,
  };
}

/** Further qualities that the same run makes, each a package in a folder of its own. */
export function GradeFields({ draft, change }: FieldsProps) {
  const grades = draft.grades ?? [],
    last = grades.at(-1);
  const put = (next: Grade[]) => change({ grades: next.length ? next : undefined }),
    setAt = (i: number, part: Partial<Grade>) =>
      put(grades.map((grade, k) => (k === i ? { ...grade, ...part } : grade)));
  return (
    <Section title="Further qualities">
      <div className={styles.whole}>
        {grades.length > 0 ? (
          <table className="list" aria-label="Grades">
            <thead>
              <tr>
                <th>Grade</th>
                <th>Folder</th>
                <th>Triangles</th>
                <th>Maps’ sides</th>
                <th>Seen from, m</th>
                <th title="How it is drawn">Hair</th>
                <th title="How far it may be from the source, as many times as the target allows">May be off, ×</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {grades.map((grade, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a grade is its place in the row while its folder is written
                <tr key={i}>
                  <td>
                    <TextInput
                      aria-label={`Title of grade ${i + 1}`}
                      size="xs"
                      value={grade.title}
                      onChange={(event) => setAt(i, { title: event.target.value })}
                    />
                  </td>
                  <td>
                    <TextInput
                      aria-label={`Folder of grade ${i + 1}`}
                      size="xs"
                      value={grade.id}
                      onChange={(event) => setAt(i, { id: event.target.value })}
                    />
                  </td>
                  <NumberCell
                    says={`Triangles of grade ${i + 1}`}
                    value={grade.triangles}
                    least={1}
                    step={500}
                    onChange={(triangles) => setAt(i, { triangles })}
                  />
                  <td>
                    <NativeSelect
                      aria-label={`Sides of maps of grade ${i + 1}`}
                      size="xs"
                      value={String(grade.maxSize ?? draft.textures.maxSize)}
                      onChange={(event) => setAt(i, { maxSize: Number(event.target.value) })}
                      data={[...new Set([...SIDES, grade.maxSize ?? draft.textures.maxSize])].map(String)}
                    />
                  </td>
                  <NumberCell
                    says={`Grade ${i + 1} is seen from, metres`}
                    value={grade.nearestM ?? draft.appearance.nearestM}
                    least={0.1}
                    most={100}
                    decimals={1}
                    onChange={(nearestM) => setAt(i, { nearestM })}
                  />
                  <td>
                    <NativeSelect
                      aria-label={`Hair of grade ${i + 1}`}
                      size="xs"
                      miw={112}
                      value={grade.hair ?? ''}
                      onChange={(event) => setAt(i, { hair: (event.target.value || undefined) as Grade['hair'] })}
                      data={[
                        { value: '', label: 'the same' },
                        { value: 'blend', label: 'blended' },
                        { value: 'mask', label: 'cut out' },
                      ]}
                    />
                  </td>
                  <NumberCell
                    says={`Grade ${i + 1} may be off`}
                    value={grade.apart ?? 1}
                    least={1}
                    most={100}
                    decimals={1}
                    onChange={(apart) => setAt(i, { apart })}
                  />
                  <td>
                    <ActionIcon
                      variant="default"
                      size="sm"
                      aria-label={`Take out grade ${i + 1}`}
                      onClick={() => put(grades.filter((_, k) => k !== i))}
                    >
                      ×
                    </ActionIcon>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <p className="quiet only">
            One quality: this target’s own. A grade is a further package from the same run, for another place.
          </p>
        )}
        <Button
          variant="default"
          size="compact-sm"
          disabled={grades.length >= MOST_GRADES}
          onClick={() =>
            put([
              ...grades,
              nextGrade(grades, {
                triangles: last?.triangles ?? draft.triangles.max,
                maxSize: last?.maxSize ?? draft.textures.maxSize,
                nearestM: last?.nearestM ?? draft.appearance.nearestM,
              }),
            ])
          }
        >
          Add a grade
        </Button>
      </div>
    </Section>
  );
}
