import { useDesk } from '../stage/context.ts';
import { ChooseCharacter } from '../step/ChooseCharacter.tsx';
import { ChooseMany } from '../step/ChooseMany.tsx';
import { FindingList } from '../step/FindingList.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { useSettings } from '../store/use-settings.ts';

const STEP = 'materials.detail';

/** Shape of a finer model of this character, kept as normal maps. */
export function FineDetail() {
  const { character, run } = useDesk(),
    [settings, set] = useSettings(STEP),
    names = character.revision.summary.materials.map(({ name }) => name);
  return (
    <>
      <StepCard step={STEP}>
        <ChooseCharacter
          label="From"
          none="no finer model"
          value={settings.from}
          onChange={(revision) => set('from', revision)}
        />
        <Setting step={STEP} name="size" />
        <Setting step={STEP} name="own" />
        <ChooseMany
          label="Materials"
          none="all that it covers"
          names={names}
          value={settings.materials}
          onChange={(value) => set('materials', value)}
        />
      </StepCard>
      <FindingList findings={run?.steps.find((step) => step.id === STEP)?.findings ?? []} />
    </>
  );
}
