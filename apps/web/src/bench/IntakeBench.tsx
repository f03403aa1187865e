import { Button, NativeSelect, NumberInput, TextInput } from '@mantine/core';
import { FACINGS, groupPieces, UP_AXES } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { useDesk } from '../stage/context.ts';
import { count, megabytes } from '../shared/format.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { partHidden, partIsolated, partPicked } from '../store/view-slice.ts';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { FindingList } from '../step/FindingList.tsx';
import { FoundMaps } from './FoundMaps.tsx';
import { LeftOut } from './LeftOut.tsx';
import { MaterialRegions } from './MaterialRegions.tsx';
import { NewSource } from './NewSource.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import styles from './IntakeBench.module.css';

/** What came in: findings first, then how it stands, then the parts. */
export function IntakeBench() {
  const { character } = useDesk();
  const { summary, findings, files } = character.revision;
  return (
    <>
      <StepHead step="intake.stand" title="Intake">
        {count(summary.triangles)} triangles, {summary.joints.length} joints, {summary.morphTargets.length} morph
        targets, {summary.materials.length} materials, {summary.textures.length} maps from {files.length}{' '}
        {files.length === 1 ? 'file' : 'files'} ({megabytes(files.reduce((sum, file) => sum + file.bytes, 0))} MB).
      </StepHead>
      {findings.length === 0 && (
        <div className="card info">
          <p className="only">Nothing was found wrong.</p>
        </div>
      )}
      <FindingList findings={findings.filter((finding) => finding.code !== 'textures.unreferenced')} />
      {findings.some((finding) => finding.repair === 'intake.assemble') && <Assemble />}
      <NewSource />
      <LeftOut />
      <Stance />
      <FoundMaps />
      <MaterialRegions />
      <PartList />
      <h3>Files</h3>
      <table className="list">
        <tbody>
          {files.map((file) => (
            <tr key={file.path}>
              <td className="clip" title={file.path}>
                {file.path}
              </td>
              <td className="n num">{megabytes(file.bytes)} MB</td>
              <td className="quiet">{file.used ? 'used' : 'not needed'}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** Pieces by the name that is left of theirs, before they are joined. */
function Assemble() {
  const { figures } = useDesk();
  const document = figures.source?.document;
  const groups = useMemo(
    () =>
      document
        ? groupPieces(document).map((group) => ({
            name: group.name,
            pieces: new Set(group.parts.map((part) => part.node)).size,
            triangles: group.parts.reduce((sum, part) => sum + part.triangles, 0),
          }))
        : [],
    [document],
  );
  return (
    <>
      <StepCard
        step="intake.assemble"
        says={
          groups.length
            ? `${groups.reduce((sum, group) => sum + group.pieces, 0)} pieces become ${groups.length} parts; borders are welded, seams stay.`
            : 'Reading the names of the pieces …'
        }
      />
      {groups.length > 0 && (
        <details className="folded">
          <summary>
            <span className="num">{groups.filter((group) => group.pieces > 1).length}</span> parts come in pieces
          </summary>
          <table className="list">
            <thead>
              <tr>
                <th>Part</th>
                <th className="n">Pieces</th>
                <th className="n">Triangles</th>
              </tr>
            </thead>
            <tbody>
              {groups.map((group) => (
                <tr key={group.name}>
                  <td>{group.name}</td>
                  <td className="n num">{group.pieces}</td>
                  <td className="n num">{count(group.triangles)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
    </>
  );
}

const STANCE = ['unitMetres', 'upAxis', 'facing'] as const;

function Stance() {
  const { character } = useDesk();
  const { summary } = character.revision;
  const [settings, set] = useSettings('intake.stand');
  const overruled = STANCE.some((key) => settings[key] !== undefined);
  return (
    <>
      <h3>
        How it stands{' '}
        {overruled && (
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => {
              for (const key of STANCE) if (settings[key] !== undefined) set(key, undefined);
            }}
          >
            Back to what was found
          </Button>
        )}
      </h3>
      <div className="card">
        <div className="abreast">
          <NativeSelect
            size="xs"
            label="Up"
            value={String(settings.upAxis ?? summary.upAxis)}
            onChange={(event) =>
              set(
                'upAxis',
                UP_AXES.find((axis) => axis === event.target.value),
              )
            }
            data={UP_AXES.map((value) => ({ value, label: value.toUpperCase() }))}
          />
          <NativeSelect
            size="xs"
            label="Faces"
            value={String(settings.facing ?? summary.facing)}
            onChange={(event) =>
              set(
                'facing',
                FACINGS.find((one) => one === event.target.value),
              )
            }
            data={FACINGS.map((value) => ({ value, label: value.toUpperCase() }))}
          />
          <NumberInput
            size="xs"
            label="Unit, metres"
            value={Number(settings.unitMetres ?? summary.unitMetres)}
            onBlur={(event) => {
              const value = Number(event.target.value);
              if (value > 0 && value !== summary.unitMetres) set('unitMetres', value);
            }}
            decimalScale={6}
            min={0.000001}
            hideControls
          />
        </div>
        {summary.evidence.map((line) => (
          <p key={line}>{line}</p>
        ))}
      </div>
    </>
  );
}

function PartList() {
  const { character } = useDesk();
  const dispatch = useAppDispatch();
  const picked = useAppSelector((state) => state.view.part);
  const hidden = useAppSelector((state) => state.view.hidden);
  const [filter, setFilter] = useState('');
  const rows = character.revision.summary.parts.filter((part) =>
    `${part.name} ${part.material} ${part.role}`.toLowerCase().includes(filter.toLowerCase()),
  );
  const act = (word: string, action: () => void) => (
    <button
      type="button"
      className={`crumb ${styles.act}`}
      onClick={(event) => {
        event.stopPropagation();
        action();
      }}
    >
      {word}
    </button>
  );
  return (
    <>
      <h3>
        Parts{' '}
        <TextInput
          size="xs"
          placeholder="Filter"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          data-filter
          aria-label="Filter parts"
          w={130}
        />
      </h3>
      <DataTable
        label="Parts"
        rows={rows}
        keyOf={(part) => part.id}
        order={{ by: 'triangles', desc: true }}
        picked={picked}
        onPick={(part) => dispatch(partPicked(part.id))}
        attributes={(part) => ({ 'data-part': part.id })}
        columns={[
          {
            id: 'part',
            head: 'Part',
            by: (part) => part.name,
            cellClass: 'clip',
            hint: (part) => `${part.name}, material ${part.material ?? 'none'}`,
            cell: (part) => (
              <>
                {part.name}
                <br />
                <span className={`quiet ${styles.small}`}>{part.material ?? 'no material'}</span>
              </>
            ),
          },
          { id: 'role', head: 'Role', by: (part) => part.role, cell: (part) => part.role },
          numbers('triangles', 'Triangles', (part: (typeof rows)[number]) => part.triangles),
          {
            id: 'acts',
            head: '',
            className: 'n',
            cellClass: styles.acts,
            cell: (part) => (
              <>
                {act(hidden.includes(part.id) ? 'Show' : 'Hide', () => dispatch(partHidden(part.id)))}
                {act('Alone', () => dispatch(partIsolated(part.id)))}
              </>
            ),
          },
        ]}
      />
      {rows.length === 0 && <p className="quiet">No part is called that.</p>}
    </>
  );
}
