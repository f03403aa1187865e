import { Button, SegmentedControl } from '@mantine/core';
import type { FigureRow } from '@dimetra/contract';
import { type ReactNode, useState } from 'react';
import { useNavigate } from 'react-router';
import { sentenceOf, useAddFigureMutation, useRemoveFigureMutation, useSaveFigureMutation } from '../api/api.ts';
import { FigureDrawing } from './FigureDrawing.tsx';
import { skinOf } from '../figure/skin-of.ts';
import { FigureEditor } from './FigureEditor.tsx';
import styles from './figures.module.css';
import { JointFields } from './JointFields.tsx';
import { JointList } from './JointList.tsx';
import { Loops } from './loops/Loops.tsx';
import { useDraft } from './use-draft.ts';

type Shown = 'joints' | 'loops';

/** One figure: drawn, with its joints, or being edited. */
export function FigureDetail({
  figure,
  taken,
  onProblem,
}: {
  figure: FigureRow;
  taken: readonly string[];
  onProblem: (sentence: string | null) => void;
}) {
  const navigate = useNavigate();
  const [remove] = useRemoveFigureMutation();
  const [save, saving] = useSaveFigureMutation();
  const [add] = useAddFigureMutation();
  const [picked, setPicked] = useState<string | null>(null);
  const draft = useDraft(),
    [shown, setShown] = useState<Shown>('joints');
  const { shipped, ...plain } = figure;
  const edit = async () => {
    if (!shipped) {
      draft.begin(plain);
      return;
    }
    let id = `${figure.id.slice(0, 56)}-copy`;
    for (let n = 2; taken.includes(id); n++) id = `${figure.id.slice(0, 56)}-copy-${n}`;
    const answer = await add({ ...plain, id, title: `${figure.title.slice(0, 74)} copy` });
    if (answer.error) onProblem(sentenceOf(answer.error));
    else {
      onProblem(null);
      navigate(`/figures/${id}`);
    }
  };
  /** The right half: as it is, or in the editor. */
  const frame = (content: ReactNode) =>
    draft.figure ? (
      <FigureEditor
        figure={draft.figure}
        draft={draft}
        saving={saving.isLoading}
        onSave={async () => {
          if (!draft.figure) return;
          const answer = await save(draft.figure);
          if (answer.error) onProblem(sentenceOf(answer.error));
          else {
            onProblem(null);
            draft.leave();
          }
        }}
      >
        {content}
      </FigureEditor>
    ) : (
      <div className={styles.list}>{content}</div>
    );
  return (
    <div>
      <div className={styles.head}>
        <span className="quiet">
          {shipped ? 'Shipped with Dimetra' : 'Made here'} · <span className="num">{figure.joints.length}</span> joints
          · <span className="num">{(figure.heightM * 100).toFixed(0)} cm</span>
          {figure.morphs.length > 0 && (
            <>
              {' '}
              · <span className="num">{figure.morphs.length}</span> morphs
            </>
          )}
          {figure.parts.length > 0 && (
            <>
              {' '}
              · <span className="num">{figure.parts.length}</span> parts
            </>
          )}
          {' · '}
          <span className="num">{skinOf(figure)}</span>. {figure.note}
        </span>
        <span className={styles.acts}>
          {!draft.figure && (
            <Button variant="default" size="compact-md" onClick={edit}>
              {shipped ? 'Copy to edit' : 'Edit'}
            </Button>
          )}
          {!shipped && (
            <Button
              variant="default"
              size="compact-md"
              onClick={async () => {
                const answer = await remove(figure.id);
                if (answer.error) onProblem(sentenceOf(answer.error));
                else {
                  onProblem(null);
                  navigate('/figures');
                }
              }}
            >
              Remove
            </Button>
          )}
          {figure.body && (
            <Button
              component="a"
              variant="default"
              size="compact-md"
              href={`/api/v1/figures/${figure.id}/archive`}
              download={`${figure.id}.zip`}
            >
              With its skin
            </Button>
          )}
          <Button
            component="a"
            variant="default"
            size="compact-md"
            href={`data:application/json,${encodeURIComponent(JSON.stringify(plain, null, 1))}`}
            download={`${figure.id}.json`}
          >
            JSON
          </Button>
        </span>
      </div>
      {figure.body && (
        <SegmentedControl
          size="xs"
          mb={8}
          aria-label="What is shown"
          value={shown}
          onChange={(value) => setShown(value as Shown)}
          data={[
            { value: 'joints', label: 'Joints' },
            { value: 'loops', label: 'Loops of its skin' },
          ]}
        />
      )}
      {figure.body && shown === 'loops' ? (
        <Loops figure={draft.figure ?? figure} draft={draft} frame={frame} />
      ) : (
        <div className={styles.beside}>
          <FigureDrawing figures={[draft.figure ?? figure]} picked={picked} onPick={setPicked} />
          {frame(
            draft.figure ? (
              <JointFields figure={draft.figure} picked={picked} onPick={setPicked} onChange={draft.change} />
            ) : (
              <JointList figure={figure} picked={picked} onPick={setPicked} />
            ),
          )}
        </div>
      )}
    </div>
  );
}
