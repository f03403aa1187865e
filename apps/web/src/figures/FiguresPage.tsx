import { Button, FileButton } from '@mantine/core';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import {
  sentenceOf,
  useAddFigureArchiveMutation,
  useAddFigureMutation,
  useCharactersQuery,
  useFiguresQuery,
} from '../api/api.ts';
import type { FigureRow } from '@dimetra/contract';
import { CompareWith } from '../shared/CompareWith.tsx';
import { PickList } from '../shared/PickList.tsx';
import { CompareFigures } from './CompareFigures.tsx';
import { FigureDetail } from './FigureDetail.tsx';
import styles from './figures.module.css';
import { LearnFigure } from './LearnFigure.tsx';

/** Figure formats: looked at, compared by twos, learned from a character, taken in and out as JSON or with their skins. */
export function FiguresPage() {
  const { figureId } = useParams();
  const navigate = useNavigate();
  const { data: figures = [], isLoading, isFetching } = useFiguresQuery();
  const { data: characters = [] } = useCharactersQuery();
  const [add] = useAddFigureMutation();
  const [addArchive] = useAddFigureArchiveMutation();
  const [other, setOther] = useState('');
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
    if (/\.zip$/i.test(file.name)) {
      const form = new FormData();
      form.append('files', file, file.name);
      show(await addArchive(form));
      return;
    }
    try {
      show(await add(JSON.parse(await file.text())));
    } catch {
      setProblem(
        `“${file.name}” is neither JSON nor a ZIP archive. Take out a figure here to see what one looks like.`,
      );
    }
  };
  return (
    <main className="page">
      <header>
        <div>
          <h1>Figures</h1>
          <span className="quiet">
            What figure formats are made of;{' '}
            <Link to="/targets" className={styles.link}>
              targets
            </Link>{' '}
            ask for them
          </span>
        </div>
        <span className={styles.acts}>
          <FileButton accept="application/json,.json,application/zip,.zip" onChange={take}>
            {(props) => (
              <Button variant="default" size="compact-md" {...props}>
                Take in
              </Button>
            )}
          </FileButton>
          <CompareWith rows={figures} open={chosen?.id} value={other} onChange={setOther} />
        </span>
      </header>
      {problem && (
        <div className="card blocks" role="alert">
          <p className={styles.problem}>{problem}</p>
        </div>
      )}
      <div className={styles.page}>
        <div className={styles.side}>
          <PickList
            label="Figures"
            rows={figures.map(({ id, title, joints }) => ({ id, title, count: joints.length }))}
            chosen={chosen?.id}
            onPick={(id) => navigate(`/figures/${id}`)}
          />
          <LearnFigure characters={characters} onLearned={show} />
        </div>
        {chosen &&
          (beside ? (
            <CompareFigures a={chosen} b={beside} />
          ) : (
            <FigureDetail key={chosen.id} figure={chosen} taken={figures.map((row) => row.id)} onProblem={setProblem} />
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
