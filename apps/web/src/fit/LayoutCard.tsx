import { Button } from '@mantine/core';
import { SHIPPED_FIGURES } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { ChooseCharacter } from '../step/ChooseCharacter.tsx';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { useSettings } from '../store/use-settings.ts';

/** Figures that a setting can name; any other is the target's own. */
const SHIPPED = new Set(SHIPPED_FIGURES.map(({ id }) => id));

/**
 * Maps that were painted for another figure's texture places: what was found, and having them laid out anew.
 * @param place it stands first where there is something to decide, last and folded elsewhere
 */
export function LayoutCard({ place }: { place: 'first' | 'last' }) {
  const { character, run } = useDesk(),
    [settings, set] = useSettings('fit.layout'),
    found = character.revision.findings.filter(({ code }) => code === 'textures.foreign-layout'),
    done = run?.steps.find(({ id }) => id === 'fit.layout'),
    asked = (settings.figure ?? 'none') !== 'none' || Boolean(settings.body),
    card = (
      <StepCard step="fit.layout">
        <Setting step="fit.layout" name="figure" />
        <ChooseCharacter
          label="Or for the figure of"
          none="nobody"
          value={settings.body}
          onChange={(revision) => set('body', revision)}
        />
      </StepCard>
    );
  const isNeeded = found.length > 0 || asked || done !== undefined;
  if (isNeeded !== (place === 'first')) return null;
  if (!isNeeded)
    return (
      <details className="folded">
        <summary>Maps that were painted for another figure</summary>
        {card}
      </details>
    );
  return (
    <>
      {found.map((finding) => (
        <FindingCard key={finding.where} finding={finding}>
          {!asked && finding.names?.figure && (
            <Button
              size="compact-xs"
              variant="default"
              onClick={() => set('figure', SHIPPED.has(finding.names?.figure ?? '') ? finding.names?.figure : 'target')}
            >
              Lay its maps out anew
            </Button>
          )}
        </FindingCard>
      ))}
      {card}
      {done?.findings.map((finding) => (
        <FindingCard key={finding.code + finding.where} finding={finding} />
      ))}
    </>
  );
}
