import { Popover, Slider } from '@mantine/core';
import { useDesk } from './context.ts';
import { PictureMenu } from './PictureMenu.tsx';
import { PlayBar } from './PlayBar.tsx';
import { PosePicker } from './PosePicker.tsx';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import {
  axesShown,
  everythingShown,
  jumped,
  lightTurned,
  lookChosen,
  LOOKS,
  partHidden,
  partIsolated,
  partsHidden,
  skeletonShown,
  viewChosen,
  type Jump,
  type Look,
  type View,
} from '../store/view-slice.ts';

const VIEW_NAMES: Record<View, string> = {
  pair: 'Pair',
  wipe: 'Wipe',
  overlay: 'Overlay',
  difference: 'Difference',
  source: 'Source',
  result: 'Result',
};
const LOOK_NAMES: Record<Look, string> = {
  material: 'Material',
  clay: 'Clay',
  wire: 'Wire',
  normals: 'Normals',
  checker: 'Checker',
  weights: 'Weights',
  deviation: 'Deviation',
  segments: 'Weights by joint',
  influences: 'Influences',
  slots: 'Materials apart',
  asymmetry: 'Asymmetry',
  'texel density': 'Texel density',
  'back faces': 'Back faces',
  strands: 'Strands',
  'base colour': 'Base colour',
  'normal map': 'Normal map',
  roughness: 'Roughness',
  metalness: 'Metalness',
  occlusion: 'Occlusion',
  opacity: 'Opacity',
};
const FIRST_LOOKS: readonly Look[] = ['material', 'clay', 'wire', 'normals', 'checker', 'weights', 'deviation'];
const MORE_LOOKS: readonly Look[] = LOOKS.filter((look) => !FIRST_LOOKS.includes(look));
const JUMP_NAMES: Record<Jump, string> = {
  figure: 'Figure',
  head: 'Head',
  eyes: 'Eyes',
  mouth: 'Mouth',
  hands: 'Hands',
  feet: 'Feet',
  behind: 'Behind',
};

/** What is put on and taken off. */
const WORN: ReadonlySet<string> = new Set(['garment', 'footwear', 'accessory']);

/** How and at what to look; one choice for both figures. */
export function StageBar({
  both,
  view,
  clips,
}: {
  both: boolean /** As shown: a narrow stage wipes where a pair was asked for. */;
  view: View;
  clips: readonly { name: string; seconds: number }[];
}) {
  const dispatch = useAppDispatch();
  const { look, skeleton, light, part, hidden, isolated, clip, axes } = useAppSelector((state) => state.view);
  const { character } = useDesk();
  const clothes = character.revision.summary.parts.filter((entry) => WORN.has(entry.role)).map((entry) => entry.id);
  const dressed = clothes.some((id) => !hidden.includes(id));
  return (
    <>
      {both && (
        <div className="chips views" role="group" aria-label="View">
          {(Object.keys(VIEW_NAMES) as View[]).map((id) => (
            <button key={id} type="button" aria-pressed={view === id} onClick={() => dispatch(viewChosen(id))}>
              {VIEW_NAMES[id]}
            </button>
          ))}
        </div>
      )}
      <div className="stage-bar">
        <div className="chips" role="group" aria-label="Look">
          {FIRST_LOOKS.filter((id) => both || id !== 'deviation').map((id) => (
            <button key={id} type="button" aria-pressed={look === id} onClick={() => dispatch(lookChosen(id))}>
              {LOOK_NAMES[id]}
            </button>
          ))}
          <Popover position="top" withArrow width={170} trapFocus>
            <Popover.Target>
              <button type="button" aria-pressed={MORE_LOOKS.includes(look)}>
                {MORE_LOOKS.includes(look) ? LOOK_NAMES[look] : 'More'}
              </button>
            </Popover.Target>
            <Popover.Dropdown p={4}>
              <div className="stack">
                {MORE_LOOKS.map((id) => (
                  <button
                    key={id}
                    type="button"
                    className={`crumb ${look === id ? 'here' : ''}`}
                    onClick={() => dispatch(lookChosen(id))}
                  >
                    {LOOK_NAMES[id]}
                  </button>
                ))}
              </div>
            </Popover.Dropdown>
          </Popover>
          <button
            type="button"
            aria-pressed={skeleton}
            onClick={() => dispatch(skeletonShown(!skeleton))}
            title="Shows the joints; drag one to bend the joint above it"
          >
            Joints
          </button>
          {skeleton && (
            <button type="button" aria-pressed={axes} onClick={() => dispatch(axesShown(!axes))}>
              Axes
            </button>
          )}
        </div>
        <div className="chips" role="group" aria-label="Jump to">
          {(Object.keys(JUMP_NAMES) as Jump[]).map((id) => (
            <button key={id} type="button" onClick={() => dispatch(jumped(id))}>
              {JUMP_NAMES[id]}
            </button>
          ))}
        </div>
        <div className="chips">
          <Popover position="top" withArrow width={230} trapFocus>
            <Popover.Target>
              <button type="button">Light {Math.round(light)}°</button>
            </Popover.Target>
            <Popover.Dropdown>
              <Slider
                value={light}
                min={-180}
                max={180}
                step={5}
                onChange={(value) => dispatch(lightTurned(value))}
                label={(value) => `${value}°`}
                marks={[{ value: -90 }, { value: 0 }, { value: 90 }]}
                aria-label="Direction of the key light"
                thumbLabel="Direction of the key light"
              />
            </Popover.Dropdown>
          </Popover>
          <PosePicker clips={clips} />
        </div>
        <div className="chips">
          <PictureMenu key={character.id} view={view} />
          {clothes.length > 0 && (
            <button
              type="button"
              aria-pressed={dressed}
              title="Takes off what is worn, and puts it on again"
              onClick={() => dispatch(partsHidden({ parts: clothes, hidden: dressed }))}
            >
              Clothes
            </button>
          )}
        </div>
        {(part || hidden.length > 0 || isolated) && (
          <div className="chips" role="group" aria-label="Chosen part">
            {part && (
              <>
                <button type="button" disabled style={{ color: '#fff' }}>
                  {part}
                </button>
                <button type="button" onClick={() => dispatch(partHidden(part))}>
                  {hidden.includes(part) ? 'Show' : 'Hide'}
                </button>
                <button type="button" aria-pressed={isolated === part} onClick={() => dispatch(partIsolated(part))}>
                  Isolate
                </button>
              </>
            )}
            {(hidden.length > 0 || isolated) && (
              <button type="button" onClick={() => dispatch(everythingShown())}>
                Show all
              </button>
            )}
          </div>
        )}
        {clip !== null && <PlayBar clips={clips} />}
      </div>
    </>
  );
}
