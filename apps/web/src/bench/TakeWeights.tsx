import { skipToken } from '@reduxjs/toolkit/query';
import { useCharacterQuery, useCharactersQuery } from '../api/api.ts';
import { useDesk } from '../stage/context.ts';
import { useSettings } from '../store/use-settings.ts';
import { ChooseCharacter } from '../step/ChooseCharacter.tsx';
import { ChooseMany } from '../step/ChooseMany.tsx';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';

const STEP = 'weights.transfer';

/** Weights from another surface: of this character, or of another one of the cast. */
export function TakeWeights() {
  const { character, run } = useDesk();
  const { data: cast = [] } = useCharactersQuery();
  const [settings, set] = useSettings(STEP);
  const other = cast.find((row) => row.id !== character.id && row.revisionId === settings.donor);
  const { data: donor } = useCharacterQuery(other?.id ?? skipToken);
  const names = character.revision.summary.parts.map((part) => part.name),
    gives = settings.donor
      ? (donor?.revision.summary.parts.map((part) => part.name) ?? [])
      : names.filter((name) => !settings.to?.includes(name));
  const findings = run?.steps.find((step) => step.id === STEP)?.findings ?? [];
  return (
    <>
      <StepCard step={STEP}>
        <ChooseCharacter
          label="From"
          none="this character"
          value={settings.donor}
          onChange={(revision) => set('donor', revision)}
        />
        <Setting step={STEP} name="reachCm" />
        <ChooseMany
          label="Its parts"
          none="the skin"
          names={gives}
          value={settings.from}
          onChange={(value) => set('from', value)}
        />
        <ChooseMany
          label="Onto"
          none="what no joint moves"
          names={names}
          value={settings.to}
          onChange={(value) => set('to', value)}
        />
      </StepCard>
      {findings.map((finding) => (
        <FindingCard key={finding.code + finding.where} finding={finding} />
      ))}
    </>
  );
}
