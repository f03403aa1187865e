import { Button } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { type Check, type ParityRow, verdictOf, verdictSentence } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { AppearancePlaces } from './AppearancePlaces.tsx';
import { WeighRule } from './WeighRule.tsx';
import { STATION_NAMES } from '../line/stations.ts';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { count, millimetres } from '../shared/format.ts';
import { useAppDispatch } from '../store/store.ts';
import { lookChosen, morphDialled, morphsReset, posed } from '../store/view-slice.ts';

/** Every rule with its measured value, and the proof that the result is the same person. */
export function CheckBench() {
  const { run, finished, target, onOpen } = useDesk();
  const [all, setAll] = useState(false);
  const dispatch = useAppDispatch();
  const checks = run?.checks ?? finished?.checks ?? null;
  if (run?.state === 'failed')
    return (
      <>
        <header>
          <h2>Check</h2>
        </header>
        <div className="card blocks" role="alert">
          <div className="top">
            <span>The last run failed</span>
          </div>
          <p>{run.error?.message}</p>
        </div>
      </>
    );
  if (!checks)
    return (
      <>
        <header>
          <h2>Check</h2>
        </header>
        <p className="quiet">
          Nothing is measured yet. Run the recipe, and every rule of the target stands here with its measured value, and
          the distance from the source in every morph and pose.
        </p>
      </>
    );
  const broken = checks.filter((check) => !check.ok).sort((a, b) => Number(b.blocking) - Number(a.blocking));
  const parity = finished?.parity,
    verdict = verdictOf(checks);
  return (
    <>
      <header>
        <h2>Check</h2>
        <span className="quiet" data-verdict={verdict.state}>
          {verdictSentence(verdict)}
        </span>
      </header>
      {verdict.state === 'holds' && (
        <div className="card info">
          <p className="only">Every rule of the target holds, for the delivered bytes too. Nothing blocks delivery.</p>
        </div>
      )}
      {broken.map((check) => (
        <article
          key={check.rule}
          className={`card ${check.blocking ? 'blocks' : 'attention'}`}
          data-finding
          // biome-ignore lint/a11y/noNoninteractiveTabindex: findings are walked through by keyboard
          tabIndex={0}
        >
          <div className="top">
            <span>{check.title}</span>
            <span>{check.blocking ? 'blocks' : 'noted'}</span>
          </div>
          <p>{check.message}</p>
          <div className="acts">
            <Button size="compact-xs" variant="default" onClick={() => onOpen(check.station)}>
              Go to {STATION_NAMES[check.station]}
            </Button>
            <WeighRule check={check} target={target} />
          </div>
        </article>
      ))}
      {parity?.appearance.views && <AppearancePlaces rows={parity.appearance.views} />}
      {parity && (
        <>
          <h3>
            Parity <span className="num quiet">{count(parity.samples)} samples a side, mm</span>
          </h3>
          <ParityTable
            rows={[
              { name: 'At rest', ...parity.shape.rest },
              ...(parity.shape.covered
                ? [
                    {
                      name: `Under clothes, ${Math.round(parity.shape.covered.share * 100)} %`,
                      ...parity.shape.covered,
                    },
                  ]
                : []),
            ]}
            onShow={() => {
              dispatch(posed(null));
              dispatch(morphsReset());
              dispatch(lookChosen('deviation'));
            }}
          />
          {parity.shape.parts && (
            <Group
              title={`${parity.shape.parts.length} parts`}
              rows={parity.shape.parts}
              onShow={() => {
                dispatch(posed(null));
                dispatch(morphsReset());
                dispatch(lookChosen('deviation'));
              }}
            />
          )}
          <Group
            title={`${parity.shape.poses.length} poses`}
            rows={parity.shape.poses}
            onShow={(name) => {
              dispatch(posed(name));
              dispatch(lookChosen('deviation'));
            }}
          />
          <Group
            title={`${parity.shape.morphs.length} morphs`}
            rows={parity.shape.morphs}
            onShow={(name) => {
              dispatch(morphsReset());
              dispatch(morphDialled({ name, weight: 1 }));
              dispatch(lookChosen('clay'));
            }}
          />
          <div className="card">
            <table className="list">
              <tbody>
                <tr>
                  <td>Base colour, ΔE 2000</td>
                  <td className="n num">{parity.appearance.baseColorDeltaE.mean}</td>
                  <td className="n num quiet">99 % {parity.appearance.baseColorDeltaE.p99}</td>
                </tr>
                {parity.shape.skin && (
                  <tr>
                    <td>Skin through clothes, cm²</td>
                    <td className="n num" colSpan={2}>
                      {Math.max(...parity.shape.skin.map((row) => row.sourceCm2))} →{' '}
                      {Math.max(...parity.shape.skin.map((row) => row.resultCm2))}
                    </td>
                  </tr>
                )}
                <tr>
                  <td>Gone, new, renamed</td>
                  <td className="n num" colSpan={2}>
                    {parity.inventory.lost.length}, {parity.inventory.added.length}, {parity.inventory.renamed.length}
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
          {finished && (
            <div className="acts">
              <Button size="compact-sm" variant="default" onClick={() => dispatch(lookChosen('deviation'))}>
                Heat map on the stage
              </Button>
              <Button size="compact-sm" variant="default" component={Link} to={`/report/${finished.id}`}>
                Open report
              </Button>
            </div>
          )}
        </>
      )}
      <h3>
        All rules{' '}
        <Button size="compact-xs" variant="default" onClick={() => setAll(!all)} aria-expanded={all}>
          {all ? 'Fold away' : `Show ${checks.length}`}
        </Button>
      </h3>
      {all && (
        <DataTable
          label="All rules"
          rows={checks}
          keyOf={(check) => check.rule}
          columns={[
            { id: 'rule', head: 'Rule', by: (check) => check.title, cell: (check) => check.title },
            {
              id: 'measured',
              head: 'Measured',
              className: 'n',
              cellClass: 'num',
              cell: (check) => inWords(check.measured),
            },
            {
              id: 'limit',
              head: 'Limit',
              className: 'n',
              cellClass: 'num',
              cell: (check) => `${inWords(check.limit)} ${check.unit}`,
            },
            { id: 'answer', head: 'Answer', by: answerOf, cell: answerOf },
          ]}
        />
      )}
    </>
  );
}

const inWords = (value: number | string): string => (typeof value === 'number' ? value.toLocaleString('en-GB') : value);
const answerOf = (check: Check): string => (check.ok ? 'holds' : check.blocking ? 'blocks' : 'noted');

/** The worst of a group, and all of it on request. */
function Group({ title, rows, onShow }: { title: string; rows: ParityRow[]; onShow: (name: string) => void }) {
  const [open, setOpen] = useState(false);
  const sorted = [...rows].sort((a, b) => b.rmsMm - a.rmsMm);
  if (!sorted.length) return null;
  return (
    <div>
      <ParityTable
        rows={open ? sorted : sorted.slice(0, 1)}
        onShow={onShow}
        caption={open ? title : `Worst of ${title}`}
      />
      <button type="button" className="crumb" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? 'Only the worst' : `All ${title}`}
      </button>
    </div>
  );
}

const HEADS = { rmsMm: 'RMS', p99Mm: '99 %', maxMm: 'Largest' } as const;
type Row = Omit<ParityRow, 'where'> & { where?: string };

function ParityTable({ rows, onShow, caption }: { rows: Row[]; onShow: (name: string) => void; caption?: string }) {
  return (
    <div className="card">
      <DataTable
        label={caption ?? 'Distances'}
        rows={rows}
        keyOf={(row) => row.name}
        onPick={(row) => onShow(row.name)}
        columns={[
          {
            id: 'name',
            head: caption ?? '',
            by: (row) => row.name,
            hint: (row) =>
              [
                row.where && `Largest on ${row.where}`,
                row.vertex && `vertices ${millimetres(row.vertex.rmsMm)} mm from themselves`,
              ]
                .filter(Boolean)
                .join('; ') || undefined,
            cell: (row) => row.name,
          },
          ...(['rmsMm', 'p99Mm', 'maxMm'] as const).map((id) =>
            numbers(id, HEADS[id], (row: Row) => row[id], { show: millimetres }),
          ),
        ]}
      />
    </div>
  );
}
