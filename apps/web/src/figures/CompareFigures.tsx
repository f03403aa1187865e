import { figureDocument, jointRoles, matchFigure, skeletonOf, type Figure } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { DataTable } from '../shared/DataTable.tsx';
import { FigureDrawing } from './FigureDrawing.tsx';
import styles from './figures.module.css';

/** A joint of each, or of one alone. */
interface Pair {
  key: string;
  a: string | null;
  b: string | null;
}
const pairOf = (a: string | null, b: string | null): Pair => ({ key: `${a ?? ''}/${b ?? ''}`, a, b });

/** What a pair is called in the drawing. */
const nameOf = ({ a, b }: Pair): string => a ?? b ?? '';

/** Two figures over each other, and which joint is which. */
export function CompareFigures({ a, b }: { a: Figure; b: Figure }) {
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
  const rows = [
    ...pairs.onlyA.map((name) => pairOf(name, null)),
    ...pairs.onlyB.map((name) => pairOf(null, name)),
    ...pairs.both.map((pair) => pairOf(pair.a, pair.b)),
  ];
  return (
    <div className={styles.beside}>
      <FigureDrawing figures={[a, b]} picked={picked} onPick={setPicked} />
      <div className={styles.list}>
        <p className={`quiet ${styles.sum}`}>
          <b className="num">{pairs.both.length}</b> joints are in both,{' '}
          <b className="num source">{pairs.onlyA.length}</b> only in {a.title},{' '}
          <b className="num result">{pairs.onlyB.length}</b> only in {b.title}.
        </p>
        <DataTable
          label={`Joints of ${a.title} and ${b.title}`}
          rows={rows}
          keyOf={(row) => row.key}
          picked={picked === null ? null : rows.find((row) => nameOf(row) === picked)?.key}
          onPick={(row) => setPicked(nameOf(row))}
          columns={(['a', 'b'] as const).map((side) => ({
            id: side,
            head: (side === 'a' ? a : b).title,
            headClass: side === 'a' ? 'source' : 'result',
            by: (row: Pair) => row[side] ?? '',
            cellClass: 'num',
            cell: (row: Pair) => row[side] ?? <span className="quiet">–</span>,
          }))}
        />
      </div>
    </div>
  );
}
