import { useMemo } from 'react';
import type { View } from '../store/view-slice.ts';
import type { Crooked } from './use-asymmetry.ts';
import { DENSITIES, MOST_CROOKED, MOST_INFLUENCES, type Side, type StageState } from './state.ts';
import styles from './StageTags.module.css';

/** Views in which both figures stand apart, each under its name. */
const NAMED: Record<View, readonly Side[]> = {
  pair: ['source', 'result'],
  wipe: ['source', 'result'],
  source: ['source'],
  result: ['result'],
  overlay: [],
  difference: [],
};

interface StageTagsProps {
  place: View;
  both: boolean;
  heights: { source: { heightCm: number }; result: { heightCm: number } | null };
  /** The source is shown as a mix of people. */
  /** Where the source is shown otherwise than it came: with others in it, or at another height. */
  mixed: { people: boolean; heightCm?: number } | null;
  /** What the result is for; its name until there is one. */
  target: string;
  /** Place of the wipe, 0 … 1. */
  wipe: number;
  onWipe(to: number): void;
}

/** Until then figures stand in plain clay. */
export function MapsAreComing() {
  return (
    <div className={`tag ${styles.coming}`} role="status">
      Maps are coming …
    </div>
  );
}

/** Which figure is which, and where the one ends and the other begins. */
export function StageTags({ place, both, heights, mixed, target, wipe, onWipe }: StageTagsProps) {
  const height = ({ heightCm }: { heightCm: number }) => `${heightCm.toFixed(1)} cm`,
    from = place === 'pair' ? '50%' : place === 'wipe' ? `${wipe * 100}%` : 0;
  return (
    <>
      {NAMED[place].includes('source') && (
        <div className={`tag ${styles.source}`}>
          <span className="source">Source</span> {mixed && <b>{mixed.people ? 'mixed ' : 'as asked '}</b>}
          {!(mixed?.people && mixed.heightCm === undefined) && (
            <b className="num">{height({ heightCm: mixed?.heightCm ?? heights.source.heightCm })}</b>
          )}
        </div>
      )}
      {place === 'overlay' && (
        <div className={`tag ${styles.first}`}>
          <span className="result">Result</span> <b>over</b> <span className="source">source</span>
        </div>
      )}
      {place === 'difference' && (
        <div className={`tag ${styles.first}`}>
          <span className="source">Source</span> <b>against</b> <span className="result">result</span>
          <b>: dim is alike, light is different</b>
        </div>
      )}
      {both && NAMED[place].includes('result') && (
        <div className={`tag other ${styles.result}`} style={{ left: from }}>
          <span className="result">Result</span>{' '}
          <b className="num">{heights.result ? height(heights.result) : target}</b>
        </div>
      )}
      {place === 'pair' && <div className={styles.middle} />}
      {place === 'wipe' && (
        <input
          type="range"
          aria-label="Place of the wipe"
          min={0}
          max={1}
          step={0.005}
          value={wipe}
          onChange={(event) => onWipe(Number(event.target.value))}
          className={`wipe ${styles.wipe}`}
        />
      )}
    </>
  );
}

/** What the colours of the deviation mean; no distances while they are being measured. */
export function DeviationKey({ distances, limitMm }: { distances: Float32Array | null; limitMm: number }) {
  if (!distances) return <div className="tag key">Measuring …</div>;
  const beyond = (100 * distances.filter((mm) => mm > limitMm).length) / Math.max(1, distances.length);
  return (
    <div className="tag key">
      dark within <span className="num">{limitMm} mm</span>, light beyond:{' '}
      <span className="num" data-beyond>
        {beyond.toFixed(1)} %
      </span>
      ; grey is covered
    </div>
  );
}

function middleOf(density: ReadonlyMap<string, Float32Array> | undefined): string {
  const all = [...(density?.values() ?? [])].flatMap((values) => [...values.filter((perCm) => perCm > 0)]);
  all.sort((a, b) => a - b);
  const middle = all[all.length >> 1];
  return middle === undefined ? '–' : middle.toFixed(middle < 10 ? 1 : 0);
}

/** What the colours of texel density mean, and where half of the figure lies on the scale. */
export function DensityKey({ density, both }: { density: StageState['density']; both: boolean }) {
  const middles = useMemo(() => ({ source: middleOf(density?.source), result: middleOf(density?.result) }), [density]);
  return (
    <div className={`tag ${styles.below}`}>
      <span className="num">{DENSITIES[0]}</span> to <span className="num">{DENSITIES[1]}</span> texels on a centimetre,
      dark to light; half of the points over <span className="num">{middles.source}</span>
      {both && (
        <>
          {' → '}
          <span className="num">{middles.result}</span>
        </>
      )}
      ; grey has no map
    </div>
  );
}

/** What the colours of asymmetry mean, and how crooked each figure is; nothing of one that is being measured. */
export function AsymmetryKey({ found, both }: { found: Crooked['found'] | undefined; both: boolean }) {
  const said = (side: Side) => (found?.[side] ? `${found[side].rmsMm.toFixed(2)} mm` : 'measuring …');
  return (
    <div className={`tag ${styles.below}`} data-asymmetry>
      0 to <span className="num">{MOST_CROOKED} mm</span> from the mirror image, dark to light; RMS{' '}
      <span className="num">{said('source')}</span>
      {both && (
        <>
          {' → '}
          <span className="num">{said('result')}</span>
        </>
      )}
    </div>
  );
}

export function InfluencesKey() {
  return (
    <div className={`tag ${styles.below}`}>
      1 to <span className="num">{MOST_INFLUENCES}</span> influences, dark to light
    </div>
  );
}
