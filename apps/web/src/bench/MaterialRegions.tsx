import { Button, NativeSelect } from '@mantine/core';
import type { SlotChoice } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import type { Region, RegionHit } from '../figure/regions.ts';
import { numbers, words } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { count } from '../shared/format.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { ChooseCharacter } from '../step/ChooseCharacter.tsx';
import { facePicked, lookChosen } from '../store/view-slice.ts';

const STEP = 'intake.assemble',
  NONE: SlotChoice[] = [];
const keyOf = ({ group, from, to, parts: [first] }: Region): string => `${group}/${from}/${to}/${first?.faces[0]}`;
export const useSlotChoices = (): SlotChoice[] =>
  useAppSelector((state) => settingsOf(state.recipe.recipe, STEP).hand ?? NONE);

/** Faces that the run would give another material, as regions on the stage; any other region by a click. */
export function MaterialRegions() {
  const {
    regions: { misplaced, chosen, error },
  } = useDesk();
  const reference = useAppSelector((state) => settingsOf(state.recipe.recipe, STEP).reference);
  const dispatch = useAppDispatch();
  const look = useAppSelector((state) => state.view.look),
    face = useAppSelector((state) => state.view.face);
  const choices = useSlotChoices();
  const say = (next: SlotChoice[]) =>
    dispatch(settingChanged({ step: STEP, setting: 'hand', value: next.length ? next : undefined }));
  const choose = (at: { part: string; face: number }, to: string | null) =>
    say([...choices.filter((choice) => choice.part !== at.part || choice.face !== at.face), { ...at, to }]);
  const shown = look === 'slots',
    picked =
      face &&
      misplaced?.find(({ parts }) => parts.some(({ id, faces }) => id === face.part && faces.includes(face.face)));
  return (
    <section className="card" aria-label="Faces in a wrong material">
      <div className="top">
        <span>Which face wears what</span>
        <Button
          size="compact-xs"
          variant="default"
          aria-pressed={shown}
          onClick={() => {
            dispatch(lookChosen(shown ? 'material' : 'slots'));
            dispatch(facePicked(null));
          }}
        >
          {shown ? 'Back to materials' : 'Show on the stage'}
        </Button>
      </div>
      {!shown && choices.length === 0 && (
        <p>
          Every material in a colour of its own, with faces that seem to wear a wrong one marked. A click on a region
          gives it to another.
        </p>
      )}
      {shown && (
        <ChooseCharacter
          label="Compare with a figure of the same texture layout"
          none="none"
          w="100%"
          value={reference}
          onChange={(value) => dispatch(settingChanged({ step: STEP, setting: 'reference', value }))}
        />
      )}
      {shown && error && <p role="alert">{error}</p>}
      {shown && !error && (
        <p role="status">
          {misplaced === null
            ? 'Looking for faces in a wrong material …'
            : misplaced.length
              ? 'Yellow on the source is what the run gives another material.'
              : 'No face seems to wear a wrong material.'}{' '}
          Click a region to say otherwise.
        </p>
      )}
      {shown && misplaced && misplaced.length > 0 && (
        <div data-misplaced>
          <DataTable
            label="Faces that the run gives another material"
            rows={misplaced}
            keyOf={keyOf}
            picked={picked && keyOf(picked)}
            onPick={({ parts: [first] }) =>
              dispatch(facePicked(first ? { part: first.id, face: first.faces[0] } : null))
            }
            columns={[
              words('part', 'Part', (region: Region) => region.group),
              words('from', 'Wears', (region: Region) => region.from ?? 'none'),
              words('to', 'Goes to', (region: Region) => region.to ?? 'none'),
              numbers('triangles', 'Triangles', (region: Region) => region.triangles),
            ]}
          />
        </div>
      )}
      {shown && face && chosen && (
        <ChosenRegion
          hit={chosen}
          choice={choices.find((choice) => choice.part === face.part && choice.face === face.face)}
          onChoose={(to) => choose(face, to)}
        />
      )}
      {choices.length > 0 && (
        <table className="list" data-by-hand>
          <thead>
            <tr>
              <th>By hand</th>
              <th>Goes to</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {choices.map((choice) => (
              <tr key={`${choice.part}/${choice.face}`}>
                <td className="clip">{choice.part}</td>
                <td className="clip">{choice.to ?? 'stays as it is'}</td>
                <td className="n">
                  <Button
                    size="compact-xs"
                    variant="default"
                    onClick={() => say(choices.filter((entry) => entry !== choice))}
                  >
                    Put back
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** What a region that was clicked wears, and what it may wear instead; what touches it stands first. */
function ChosenRegion({
  hit,
  choice,
  onChoose,
}: {
  hit: RegionHit;
  choice: SlotChoice | undefined;
  onChoose(to: string | null): void;
}) {
  const { character } = useDesk();
  const others = character.revision.summary.materials
    .map((material) => material.name)
    .filter((name) => name !== hit.from && !hit.beside.includes(name));
  const wears = hit.from ?? 'no material';
  return (
    <div data-region style={{ display: 'grid', gap: 6, marginTop: 8 }}>
      <p className="only">
        This region of “{hit.group}” has <span className="num">{count(hit.triangles)}</span> triangles and wears “
        {wears}”
        {hit.beside.length
          ? `; it touches ${hit.beside.map((name) => `“${name}”`).join(', ')}`
          : '; it touches nothing else'}
        .
      </p>
      <NativeSelect
        size="xs"
        label="It shall wear"
        value={choice ? (choice.to ?? '') : 'found'}
        onChange={(event) => {
          if (event.target.value !== 'found') onChoose(event.target.value || null);
        }}
        data={[
          { value: 'found', label: 'what the run finds' },
          { value: '', label: `“${wears}”, as it came` },
          ...[...hit.beside, ...others]
            .filter((name) => name !== hit.from)
            .map((name) => ({ value: name, label: name })),
        ]}
      />
    </div>
  );
}
