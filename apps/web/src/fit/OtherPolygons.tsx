import { Button } from '@mantine/core';
import { figureOf } from '@dimetra/core';
import { skinOf } from '../figure/skin-of.ts';
import { ChooseCharacter } from '../step/ChooseCharacter.tsx';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { LayoutCard } from './LayoutCard.tsx';
import { PinsCard } from './PinsCard.tsx';
import { WrapWatchCard } from './WrapWatchCard.tsx';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { jumped, lookChosen, viewChosen } from '../store/view-slice.ts';

/** What shows best whether a skin is still who it was. */
const SHOWN = [
  { title: 'Eyes, both', actions: [viewChosen('pair'), lookChosen('material'), jumped('eyes')] },
  { title: 'Mouth, both', actions: [viewChosen('pair'), lookChosen('material'), jumped('mouth')] },
  { title: 'Polygons of both', actions: [viewChosen('pair'), lookChosen('wire'), jumped('head')] },
  { title: 'What moved against the source', actions: [viewChosen('wipe'), lookChosen('deviation'), jumped('head')] },
] as const;

/** The skin on another figure’s polygons, with its morphs and maps. */
export function OtherPolygons() {
  const { target, run, seats } = useDesk(),
    dispatch = useAppDispatch(),
    [settings, set] = useSettings('fit.wrap'),
    asked = target.fit?.body ? figureOf(target) : undefined,
    done = run?.steps.find((step) => step.id === 'fit.wrap');
  return (
    <>
      <LayoutCard place="first" />
      <h3>Polygons of the skin</h3>
      <p className="says">
        {asked?.body
          ? `${target.title} asks for the skin on the polygons of ${asked.title}: ${skinOf(asked)}.`
          : target.fit?.body
            ? `${target.title} asks for a figure’s own polygons, and names no figure that has any.`
            : 'The skin keeps its own polygons and texture places, unless somebody is chosen here who has others.'}
      </p>
      <StepCard step="fit.wrap">
        <ChooseCharacter
          label="Polygons of"
          none={asked?.body ? asked.title : 'its own'}
          value={settings.body}
          onChange={(revision) => set('body', revision)}
        />
        <Setting step="fit.wrap" name="weights" />
        <Setting step="fit.wrap" name="morphs" />
        <Setting step="fit.wrap" name="sides" />
        <Setting step="fit.wrap" name="detail" />
      </StepCard>
      {(asked || settings.body) && <WrapWatchCard />}
      {done?.findings.map((finding) => (
        <FindingCard key={finding.code + finding.where} finding={finding} />
      ))}
      {(asked || settings.body || done) && (
        <>
          {done && <PinsCard />}
          <StepCard step="fit.seat" />
          {seats.shown && (
            <p className="quiet says">
              On the result: drag the dot before an eye or before the teeth to move it (turn the picture to the side),
              the one at its rim to make it larger. The outline shows where it will stand.
            </p>
          )}
          <StepCard step="fit.morphs" />
          {run?.steps.some(({ id }) => id === 'fit.follow') && <StepCard step="fit.follow" />}
          <StepCard step="fit.maps" />
        </>
      )}
      {done && (
        <div className="row">
          {SHOWN.map(({ title, actions }) => (
            <Button
              key={title}
              size="compact-xs"
              variant="default"
              onClick={() => {
                for (const action of actions) dispatch(action);
              }}
            >
              {title}
            </Button>
          ))}
        </div>
      )}
      <LayoutCard place="last" />
    </>
  );
}
