import { Popover } from '@mantine/core';
import { useRef, useState } from 'react';
import { useDesk } from './context.ts';
import { count } from '../shared/format.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { lookChosen, type Look } from '../store/view-slice.ts';
import type { Side } from './state.ts';
import { contactSheet, savePicture } from './sheet.ts';

interface KeptView {
  name: string;
  at: number[];
  to: number[];
  look: Look;
}

/** Pictures of the character, and views that are kept to come back to. */
export function PictureMenu({ view }: { view: string }) {
  const { character, staged, target, stage } = useDesk();
  const dispatch = useAppDispatch();
  const look = useAppSelector((state) => state.view.look);
  const [busy, setBusy] = useState(false);
  const keepButton = useRef<HTMLButtonElement>(null);
  const [kept, setKept] = useState<KeptView[]>(() => recall(character.id));
  const side: Side = view === 'result' && staged?.result ? 'result' : 'source';
  const keep = (views: KeptView[]) => {
    setKept(views);
    try {
      localStorage.setItem(keyOf(character.id), JSON.stringify(views));
    } catch {
      /* a full store only forgets views */
    }
  };
  const sheet = async () => {
    if (!stage.current) return;
    setBusy(true);
    const summary = side === 'result' && staged?.result ? staged.result : character.revision.summary;
    try {
      savePicture(
        await contactSheet(stage.current, side, {
          title: `${character.name}${side === 'result' ? ` for ${target.title}` : ''}`,
          lines: [
            `${summary.heightCm.toFixed(1)} cm`,
            `${count(summary.triangles)} triangles`,
            `${summary.joints.length} joints`,
            `${summary.morphTargets.length} morphs`,
            `${summary.materials.length} materials`,
            new Date().toISOString().slice(0, 10),
          ],
        }),
        `${character.name} contact sheet`,
      );
    } finally {
      setBusy(false);
    }
  };
  return (
    <Popover position="top" withArrow width={230} trapFocus>
      <Popover.Target>
        <button type="button">Views</button>
      </Popover.Target>
      <Popover.Dropdown p={4}>
        <div className="stack">
          {kept.map((one) => (
            <div key={one.name} className="ends">
              <button
                type="button"
                className="crumb grows"
                onClick={() => {
                  dispatch(lookChosen(one.look));
                  stage.current?.putCamera(one);
                }}
              >
                {one.name}
              </button>
              <button
                type="button"
                className="crumb"
                aria-label={`Forget ${one.name}`}
                onClick={() => {
                  keep(kept.filter((other) => other !== one));
                  // The button goes, and with it the place of the keyboard.
                  keepButton.current?.focus();
                }}
              >
                ×
              </button>
            </div>
          ))}
          <button
            ref={keepButton}
            type="button"
            className="crumb"
            onClick={() => {
              const camera = stage.current?.cameraNow();
              if (camera)
                keep([
                  ...kept,
                  {
                    ...camera,
                    look,
                    name: `View ${1 + Math.max(0, ...kept.map((one) => Number(/\d+$/.exec(one.name)?.[0] ?? 0)))}`,
                  },
                ]);
            }}
          >
            Keep this view
          </button>
          <button
            type="button"
            className="crumb"
            onClick={() => {
              if (stage.current) savePicture(stage.current.asShown(), `${character.name} view`);
            }}
          >
            Save it as a picture
          </button>
          <button type="button" className="crumb" disabled={busy} data-sheet onClick={() => void sheet()}>
            {busy ? 'Taking eight pictures …' : `Contact sheet of the ${side}`}
          </button>
        </div>
      </Popover.Dropdown>
    </Popover>
  );
}

const keyOf = (id: string): string => `dimetra.views.${id}`;
function recall(id: string): KeptView[] {
  try {
    const list = JSON.parse(localStorage.getItem(keyOf(id)) ?? '[]') as KeptView[];
    return list.filter((one) => one.at?.length === 3 && one.to?.length === 3 && typeof one.name === 'string');
  } catch {
    return [];
  }
}
