import {
  type AppearanceRegion,
  type AppearanceRow,
  closedEyes,
  looksByMaterial,
  type MaterialLook,
} from '@dimetra/core';
import { numbers, words } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';
import { lightTurned, lookChosen, morphsDialled, morphsReset, posed } from '../store/view-slice.ts';
import { cameraFor } from './camera-for.ts';
import styles from './AppearancePlaces.module.css';

interface Place {
  region: AppearanceRegion;
  row: AppearanceRow;
  drawn: boolean;
}

/** Where the stage's light stands for each light of the pictures, degrees around the figure from its front. */
const LIGHT_AT: Readonly<Record<string, number>> = { front: 6, side: 35, behind: -140, flat: 35 };
/** What a place weighs before it is shown unasked. */
const SHOWN_FROM = 100;

const placesOf = (rows: readonly AppearanceRow[]): Place[] =>
  rows
    .flatMap((row) => [
      ...row.converted.regions.map((region) => ({ region, row, drawn: false })),
      ...row.drawn.regions.map((region) => ({ region, row, drawn: true })),
    ])
    .sort((a, b) => b.region.weight - a.region.weight);

/** The places where source and result look least alike, as pictures side by side; a click looks there on the stage. */
export function AppearancePlaces({ rows }: { rows: readonly AppearanceRow[] }) {
  const { stage, figures } = useDesk();
  const dispatch = useAppDispatch();
  const places = placesOf(rows),
    pictured = places.filter(({ region }) => region.crops && region.weight >= SHOWN_FROM),
    meant = places.filter(({ region }) => region.meant).length,
    worst = rows.reduce((most, row) => Math.max(most, row.converted.deltaE.mean), 0);
  const show = ({ row, drawn }: Place) => {
    dispatch(posed(row.view.pose ?? null));
    const shut = row.view.shut && figures.source ? closedEyes(figures.source.document) : null;
    dispatch(shut ? morphsDialled(shut) : morphsReset());
    dispatch(lookChosen('material'));
    dispatch(lightTurned(LIGHT_AT[(drawn ? row.drawn : row.converted).light] ?? 35));
    stage.current?.putCamera(cameraFor(row.view));
  };
  return (
    <>
      <h3>
        Appearance{' '}
        <span className="num quiet">
          {rows.length} sides, worst mean ΔE {worst.toFixed(2)}
        </span>
      </h3>
      {pictured.length === 0 && (
        <p className="quiet">
          From no side does anything look so different that it makes a place of its own
          {meant ? ', but for what a step meant' : ''}.
        </p>
      )}
      <div className={styles.places}>
        {pictured.map((place) => (
          <button
            type="button"
            key={`${place.row.view.name} ${place.drawn} ${place.region.at.join(' ')}`}
            className={styles.place}
            data-look-place={place.row.view.name}
            onClick={() => show(place)}
          >
            <span className={styles.pair}>
              <img src={place.region.crops?.source} alt={place.drawn ? 'As meant' : 'Source'} />
              <img src={place.region.crops?.result} alt={place.drawn ? 'As an engine draws it' : 'Result'} />
            </span>
            <span className={styles.says}>
              <b>{place.row.view.name}</b> {changeOf(place.region)}
              <br />
              <span className="quiet num">
                {areaOf(place.region)}, ΔE {place.region.deltaE.toFixed(0)}
                {place.drawn ? ', as an engine draws it' : ''}
                {place.region.came ? `, came with “${place.region.came.title}”` : ''}
              </span>
            </span>
          </button>
        ))}
      </div>
      <details className="folded">
        <summary>By material</summary>
        <DataTable
          label="Appearance by material"
          rows={looksByMaterial(rows)}
          keyOf={({ material }) => material}
          columns={MATERIAL_COLUMNS}
        />
      </details>
      {meant > 0 && (
        <p className="quiet">
          {meant} {meant === 1 ? 'place looks' : 'places look'} different because a step put another material there.
        </p>
      )}
    </>
  );
}

/** Each from the side where it is worst. */
const MATERIAL_COLUMNS = [
  words('material', 'Material', ({ material }: MaterialLook) => material),
  numbers('missed', 'Missed', ({ missed }: MaterialLook) => missed, { show: (percent) => `${percent} %` }),
  numbers('roughness', 'Roughness', ({ roughness }: MaterialLook) => roughness, {
    show: (by) => (by ? `± ${by.toFixed(2)}` : '0'),
  }),
  numbers('degrees', 'Normals', ({ degrees }: MaterialLook) => degrees, { show: (by) => `${by.toFixed(1)}°` }),
];

const changeOf = ({ from, to }: AppearanceRegion): string =>
  from === to ? (to ?? '') : `${from ?? 'nothing'} → ${to ?? 'nothing'}`;
const areaOf = ({ mm2 }: AppearanceRegion): string =>
  mm2 < 1000 ? `${Math.round(mm2)} mm²` : `${Math.round(mm2 / 100)} cm²`;
