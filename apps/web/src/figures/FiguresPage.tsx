import { Button, FileButton, NativeSelect, TextInput } from '@mantine/core';
import { figureDocument, jointRoles, matchFigure, skeletonOf, type Figure } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import {
  sentenceOf,
  useAddFigureMutation,
  useCharactersQuery,
  useFiguresQuery,
  useLearnFigureMutation,
  useRemoveFigureMutation,
  useSaveFigureMutation,
} from '../api/api.ts';
import type { FigureRow } from '@dimetra/contract';
import { FigureEditor } from './FigureEditor.tsx';
import { CompareWith } from '../shared/CompareWith.tsx';
import { PickList } from '../shared/PickList.tsx';
import { FigureDrawing } from './FigureDrawing.tsx';

/** Figure formats: looked at, compared by twos, learned from a character, taken in and out as JSON. */
export function FiguresPage() {
  const { figureId } = useParams();
  const navigate = useNavigate();
  const { data: figures = [], isLoading, isFetching } = useFiguresQuery();
  const { data: characters = [] } = useCharactersQuery();
  const [add] = useAddFigureMutation();
  const [learn, learning] = useLearnFigureMutation();
  const [other, setOther] = useState('');
  const [sample, setSample] = useState('');
  const [title, setTitle] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const chosen = figureId ? figures.find((row) => row.id === figureId) : figures[0],
    beside = figures.find((row) => row.id === other && row.id !== chosen?.id);
  if (isLoading)
    return (
      <main className="page quiet" role="status">
        Loading figures …
      </main>
    );
  const show = (answer: { data?: FigureRow; error?: unknown }) => {
    if (answer.error) setProblem(sentenceOf(answer.error));
    else if (answer.data) {
      setProblem(null);
      navigate(`/figures/${answer.data.id}`);
    }
  };
  const take = async (file: File | null) => {
    if (!file) return;
    try {
      show(await add(JSON.parse(await file.text())));
    } catch {
      setProblem(`“${file.name}” is not JSON. Take out a figure here to see what one looks like.`);
    }
  };
  return (
    <main className="page">
      <header>
        <div>
          <h1>Figures</h1>
          <span className="quiet">
            What figure formats are made of;{' '}
            <Link to="/targets" style={{ color: 'inherit' }}>
              targets
            </Link>{' '}
            ask for them
          </span>
        </div>
        <span style={{ display: 'flex', gap: 8 }}>
          <FileButton accept="application/json,.json" onChange={take}>
            {(props) => (
              <Button variant="default" size="compact-md" {...props}>
                Take in JSON
              </Button>
            )}
          </FileButton>
          <CompareWith rows={figures} open={chosen?.id} value={other} onChange={setOther} />
        </span>
      </header>
      {problem && (
        <div className="card blocks" role="alert">
          <p style={{ margin: 0 }}>{problem}</p>
        </div>
      )}
      <div style={{ display: 'grid', gridTemplateColumns: '230px minmax(0, 1fr)', gap: 22, alignItems: 'start' }}>
        <div style={{ display: 'grid', gap: 14 }}>
          <PickList
            label="Figures"
            rows={figures.map(({ id, title, joints }) => ({ id, title, count: joints.length }))}
            chosen={chosen?.id}
            onPick={(id) => navigate(`/figures/${id}`)}
          />
          <form
            className="card"
            style={{ display: 'grid', gap: 8 }}
            onSubmit={async (event) => {
              event.preventDefault();
              const characterId = sample || characters[0]?.id;
              if (characterId)
                show(
                  await learn({
                    characterId,
                    title: title.trim() || `${characters.find((row) => row.id === characterId)?.name} figure`,
                  }),
                );
            }}
          >
            <b>Learn from a sample</b>
            <NativeSelect
              size="xs"
              label="Character"
              value={sample}
              onChange={(event) => setSample(event.target.value)}
              data={characters.map((row) => ({ value: row.id, label: row.name }))}
            />
            <TextInput
              size="xs"
              label="Call it"
              placeholder="Name of the figure format"
              value={title}
              onChange={(event) => setTitle(event.target.value)}
            />
            <Button type="submit" size="compact-sm" loading={learning.isLoading} disabled={!characters.length}>
              Learn
            </Button>
          </form>
        </div>
        {chosen &&
          (beside ? (
            <Compare a={chosen} b={beside} />
          ) : (
            <Detail key={chosen.id} figure={chosen} taken={figures.map((row) => row.id)} onProblem={setProblem} />
          ))}
        {!chosen && (
          <p className="quiet" role="status">
            {isFetching
              ? 'Loading the figure …'
              : `There is no figure “${figureId}”. It was removed, or the address is wrong; choose one on the left.`}
          </p>
        )}
      </div>
    </main>
  );
}

function Detail({
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
  const [filter, setFilter] = useState('');
  const [draft, setDraft] = useState<Figure | null>(null);
  const { shipped, ...plain } = figure;
  const edit = async () => {
    if (!shipped) {
      setDraft(plain);
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
  const rows = figure.joints.filter((joint) =>
    `${joint.name} ${joint.role}`.toLowerCase().includes(filter.toLowerCase()),
  );
  return (
    <div>
      <div style={{ display: 'flex', justifyContent: 'space-between', gap: 8, marginBottom: 10 }}>
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
          . {figure.note}
        </span>
        <span style={{ display: 'flex', gap: 8, flex: 'none' }}>
          {!draft && (
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
      <div
        style={{
          display: 'grid',
          gridTemplateColumns: 'minmax(300px, 1fr) minmax(320px, 420px)',
          gap: 16,
          alignItems: 'start',
        }}
      >
        <FigureDrawing figures={[draft ?? figure]} picked={picked} onPick={setPicked} />
        {draft ? (
          <FigureEditor
            figure={draft}
            saving={saving.isLoading}
            picked={picked}
            onPick={setPicked}
            onChange={setDraft}
            onLeave={() => setDraft(null)}
            onSave={async () => {
              const answer = await save(draft);
              if (answer.error) onProblem(sentenceOf(answer.error));
              else {
                onProblem(null);
                setDraft(null);
              }
            }}
          />
        ) : (
          <div
            style={{
              maxHeight: 'calc(100vh - 190px)',
              overflowY: 'auto',
              background: 'var(--bench)',
              borderRadius: 8,
              padding: 8,
            }}
          >
            <TextInput
              size="xs"
              placeholder="Filter"
              aria-label="Filter joints"
              value={filter}
              onChange={(event) => setFilter(event.target.value)}
              data-filter
              mb={6}
            />
            <table className="list">
              <thead>
                <tr>
                  <th>Joint</th>
                  <th>Role</th>
                  <th className="n">Height, cm</th>
                </tr>
              </thead>
              <tbody>
                {rows.map((joint) => (
                  <tr
                    key={joint.name}
                    className="pick"
                    aria-selected={picked === joint.name}
                    onClick={() => setPicked(joint.name)}
                  >
                    <td className="num" style={{ paddingLeft: 6 + Math.min(10, depthOf(figure, joint.name)) * 7 }}>
                      {joint.name}
                    </td>
                    <td className="quiet">{joint.role}</td>
                    <td className="n num">{(joint.at[1] * 100).toFixed(1)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </div>
    </div>
  );
}

function depthOf(figure: Figure, name: string): number {
  const above = new Map(figure.joints.map((joint) => [joint.name, joint.parent]));
  let depth = 0;
  for (let at = above.get(name); at; at = above.get(at)) depth++;
  return depth;
}

/** Two figures over each other, and which joint is which. */
function Compare({ a, b }: { a: Figure; b: Figure }) {
  const [picked, setPicked] = useState<string | null>(null);
  const pairs = useMemo(() => {
    const rig = (figure: Figure) => {
      const document = figureDocument(figure),
        skeleton = skeletonOf(document);
      return { skeleton, roles: jointRoles(document, skeleton) };
    };
    const left = rig(a),
      right = rig(b),
      from = matchFigure(left, right),
      name = (side: typeof left, i: number) => side.skeleton.joints[i].getName();
    const both = [...from].flatMap((s, f) => (s < 0 ? [] : [{ a: name(left, s), b: name(right, f) }]));
    return {
      both,
      onlyA: a.joints.filter((joint) => !both.some((pair) => pair.a === joint.name)).map((joint) => joint.name),
      onlyB: b.joints.filter((joint) => !both.some((pair) => pair.b === joint.name)).map((joint) => joint.name),
    };
  }, [a, b]);
  return (
    <div
      style={{
        display: 'grid',
        gridTemplateColumns: 'minmax(300px, 1fr) minmax(320px, 420px)',
        gap: 16,
        alignItems: 'start',
      }}
    >
      <FigureDrawing figures={[a, b]} picked={picked} onPick={setPicked} />
      <div
        style={{
          maxHeight: 'calc(100vh - 160px)',
          overflowY: 'auto',
          background: 'var(--bench)',
          borderRadius: 8,
          padding: 8,
        }}
      >
        <p className="quiet" style={{ margin: '0 0 6px' }}>
          <b className="num">{pairs.both.length}</b> joints are in both,{' '}
          <b className="num source">{pairs.onlyA.length}</b> only in {a.title},{' '}
          <b className="num result">{pairs.onlyB.length}</b> only in {b.title}.
        </p>
        <table className="list">
          <thead>
            <tr>
              <th className="source">{a.title}</th>
              <th className="result">{b.title}</th>
            </tr>
          </thead>
          <tbody>
            {pairs.onlyA.map((name) => (
              <tr key={`a${name}`}>
                <td className="num">{name}</td>
                <td className="quiet">–</td>
              </tr>
            ))}
            {pairs.onlyB.map((name) => (
              <tr key={`b${name}`}>
                <td className="quiet">–</td>
                <td className="num">{name}</td>
              </tr>
            ))}
            {pairs.both.map((pair) => (
              <tr key={pair.a} className="pick" aria-selected={picked === pair.a} onClick={() => setPicked(pair.a)}>
                <td className="num">{pair.a}</td>
                <td className="num">{pair.b}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
