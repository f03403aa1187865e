import { Button } from '@mantine/core';
import { type Figure, loopsOfFigure, mergeFigureLoops } from '@dimetra/core';
import { type ReactNode, useState } from 'react';
import figureStyles from '../figures.module.css';
import type { Draft } from '../use-draft.ts';
import { LoopFields } from './LoopFields.tsx';
import { LoopList } from './LoopList.tsx';
import { LoopStage } from './LoopStage.tsx';
import styles from './loops.module.css';
import { useLoopEdit } from './use-loop-edit.ts';
import { useLoopSurface } from './use-loop-surface.ts';

interface LoopsProps {
  figure: Figure;
  draft: Draft;
  /** Puts a list into its frame, the editor's where one is open. */
  frame(content: ReactNode): ReactNode;
}

/** Loops of a figure's skin that a wrap holds on to: seen on it, and while it is edited bent, drawn, named and left out. */
export function Loops({ figure, draft, frame }: LoopsProps) {
  const skin = useLoopSurface(figure),
    [picked, setPicked] = useState<string | null>(null),
    [finding, setFinding] = useState(false),
    edit = useLoopEdit(draft.figure, picked, skin, draft.change, setPicked),
    loops = loopsOfFigure(figure),
    isEditing = draft.figure !== null;
  const find = async () => {
    if (!skin.ask || !draft.figure) return;
    setFinding(true);
    const found = await skin.ask.find();
    setFinding(false);
    draft.change(mergeFigureLoops(draft.figure, found));
  };
  return (
    <div className={figureStyles.beside}>
      <LoopStage title={figure.title} skin={skin} loops={loops} picked={picked} edit={isEditing ? edit : null} />
      {frame(
        <>
          {!loops.length && (
            <p className={`quiet ${styles.empty}`}>
              {figure.body?.loops
                ? 'No loops: nothing but the surface holds a wrap.'
                : 'Nothing is said of loops: a wrap finds them by the skin’s shape.'}
            </p>
          )}
          {isEditing && (
            <div className={styles.acts}>
              <Button size="compact-sm" variant="default" loading={finding} disabled={!skin.ask} onClick={find}>
                Find by shape
              </Button>
              {edit.drawn ? (
                <>
                  <Button size="compact-sm" disabled={edit.drawn.length < 3} onClick={edit.closeDrawn}>
                    Close the loop
                  </Button>
                  <Button size="compact-sm" variant="default" onClick={edit.stopDrawing}>
                    Draw none
                  </Button>
                </>
              ) : (
                <Button size="compact-sm" variant="default" disabled={!skin.ask} onClick={edit.startDrawing}>
                  Draw one
                </Button>
              )}
            </div>
          )}
          {draft.figure ? (
            <LoopFields figure={draft.figure} picked={picked} onPick={setPicked} onChange={draft.change} />
          ) : (
            loops.length > 0 && <LoopList title={figure.title} loops={loops} picked={picked} onPick={setPicked} />
          )}
        </>,
      )}
    </div>
  );
}
