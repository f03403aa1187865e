import type { Station } from '@dimetra/core';
import type { StationState, StationView } from './stations.ts';

/** The conversion as a line with stations. Shape tells the state: ring, dot, notched dot, square. */
export function Line({
  stations,
  open,
  onOpen,
}: {
  stations: StationView[];
  open: Station;
  onOpen: (station: Station) => void;
}) {
  return (
    <nav className="line" aria-label="Stations">
      {stations.map((station, i) => (
        <button
          key={station.id}
          type="button"
          className={`station ${station.state === 'quiet' ? 'quietly' : ''}`}
          aria-current={station.id === open}
          aria-label={`${station.name}, ${station.pair}, ${station.says}`}
          title={`${station.name}: ${station.says}`}
          onClick={() => onOpen(station.id)}
          data-station={station.id}
          data-state={station.state}
        >
          <svg className="track" viewBox="-50 -8 100 16" preserveAspectRatio="xMidYMid slice" aria-hidden="true">
            {i > 0 && (
              <line
                x1="-200"
                x2="-8"
                y1="0"
                y2="0"
                stroke={passed(station.state) ? 'var(--ink-2)' : 'var(--rule)'}
                strokeWidth="1.5"
              />
            )}
            {i < stations.length - 1 && (
              <line
                x1="8"
                x2="200"
                y1="0"
                y2="0"
                stroke={passed(stations[i + 1].state) ? 'var(--ink-2)' : 'var(--rule)'}
                strokeWidth="1.5"
              />
            )}
            <Mark state={station.state} />
          </svg>
          <span className="name">{station.name}</span>
          <span className="pair num">{station.pair}</span>
        </button>
      ))}
    </nav>
  );
}

const passed = (state: StationState): boolean => state === 'done' || state === 'findings' || state === 'blocks';

function Mark({ state }: { state: StationState }) {
  if (state === 'blocks') return <rect x="-5" y="-5" width="10" height="10" fill="var(--blocked)" />;
  if (state === 'findings') return <path d="M0 0V-5.5A5.5 5.5 0 1 0 5.5 0Z" fill="var(--attention)" />;
  if (state === 'done') return <circle r="5" fill="var(--done)" />;
  if (state === 'running')
    return (
      <g>
        <circle r="5.5" fill="none" stroke="var(--done)" strokeWidth="2" strokeDasharray="9 26">
          <animateTransform
            attributeName="transform"
            type="rotate"
            from="0"
            to="360"
            dur="1.6s"
            repeatCount="indefinite"
          />
        </circle>
        <circle r="2" fill="var(--done)" />
      </g>
    );
  return <circle r={state === 'quiet' ? 3 : 4.6} fill="var(--ground)" stroke="var(--ink-3)" strokeWidth="1.6" />;
}
