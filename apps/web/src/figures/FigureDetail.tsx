import { Button, SegmentedControl, TextInput } from '@mantine/core';
import type { FigureRow } from '@dimetra/contract';
import type { Figure } from '@dimetra/core';
import { type ReactNode, useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { sentenceOf, useAddFigureMutation, useRemoveFigureMutation, useSaveFigureMutation } from '../api/api.ts';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { FigureDrawing } from './FigureDrawing.tsx';
import { skinOf } from '../figure/skin-of.ts';
import { FigureEditor, JointFields } from './FigureEditor.tsx';
import styles from './figures.module.css';
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
              <Joints figure={figure} picked={picked} onPick={setPicked} />
            ),
          )}
        </div>
      )}
    </div>
  );
}

/** Steps of indent that still tell something. */
const MOST_DEEP = 10;

interface JointsProps {
  figure: Figure;
  picked: string | null;
  onPick(name: string): void;
}

function Joints({ figure, picked, onPick }: JointsProps) {
  const [filter, setFilter] = useState('');
  const depth = useMemo(() => depths(figure), [figure]),
    order = new Map(figure.joints.map((joint, i) => [joint.name, i]));
  return (
    <>
      <TextInput
        size="xs"
        placeholder="Filter"
        aria-label="Filter joints"
        value={filter}
        onChange={(event) => setFilter(event.target.value)}
        data-filter
        mb={6}
      />
      <DataTable
        label={`Joints of ${figure.title}`}
        rows={figure.joints.filter((joint) =>
          `${joint.name} ${joint.role}`.toLowerCase().includes(filter.toLowerCase()),
        )}
        keyOf={(joint) => joint.name}
        picked={picked}
        onPick={(joint) => onPick(joint.name)}
        columns={[
          {
            id: 'joint',
            head: 'Joint',
            title: 'In the order they hang, or by height',
            by: (joint) => order.get(joint.name) ?? 0,
            cellClass: 'num',
            cell: (joint) => (
              <span className={styles[`in${Math.min(MOST_DEEP, depth.get(joint.name) ?? 0)}`]}>{joint.name}</span>
            ),
          },
          { id: 'role', head: 'Role', by: (joint) => joint.role, cellClass: 'quiet', cell: (joint) => joint.role },
          numbers('height', 'Height, cm', (joint: Figure['joints'][number]) => joint.at[1] * 100, {
            show: (cm) => cm.toFixed(1),
          }),
        ]}
      />
    </>
  );
}

/** How many joints hang above each. */
function depths(figure: Figure): Map<string, number> {
  const above = new Map(figure.joints.map((joint) => [joint.name, joint.parent])),
    out = new Map<string, number>();
  const depthOf = (name: string): number => {
    const known = out.get(name);
    if (known !== undefined) return known;
    const parent = above.get(name),
      depth = parent ? depthOf(parent) + 1 : 0;
    out.set(name, depth);
    return depth;
  };
  for (const { name } of figure.joints) depthOf(name);
  return out;
}
