import type { Figure } from '@dimetra/core';
import styles from './figures.module.css';

const COLORS = ['var(--source)', 'var(--result)'];
const WIDTH = 620,
  HEIGHT = 560;
/** Joints that carry a limb are drawn large, the small ones of hands and face small. */
const sizeOf = (role: string): number =>
  /Thumb|Index|Middle|Ring|Little|face|tongue|Eye|jaw/.test(role)
    ? 1.7
    : /twist|helper|end|extra|unknown/.test(role)
      ? 2.2
      : 3.6;

/** One or two figures as they stand: seen from the front, and from the character's left beside it. */
export function FigureDrawing({
  figures,
  picked,
  onPick,
}: {
  figures: readonly Figure[];
  picked: string | null;
  onPick: (joint: string) => void;
}) {
  const tallest = Math.max(...figures.map((figure) => Math.max(...figure.joints.map((joint) => joint.at[1])))),
    scale = (HEIGHT - 60) / Math.max(0.5, tallest);
  const front = (at: readonly number[], figure: Figure) => ({
    x: 235 + at[0] * scale * fit(figure),
    y: HEIGHT - 30 - at[1] * scale * fit(figure),
  });
  const side = (at: readonly number[], figure: Figure) => ({
    x: 555 - at[2] * scale * fit(figure),
    y: HEIGHT - 30 - at[1] * scale * fit(figure),
  });
  /** Two figures are drawn as tall as each other, so that what differs is their build. */
  const fit = (figure: Figure) => (figures.length > 1 ? figures[0].heightM / figure.heightM : 1);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`Joints of ${figures.map((figure) => figure.title).join(' and ')}, from the front and from the side`}
      className={styles.drawing}
    >
      <line x1="20" x2={WIDTH - 20} y1={HEIGHT - 30} y2={HEIGHT - 30} stroke="#e8e6df" strokeOpacity="0.25" />
      {figures.map((figure, f) => {
        const at = new Map(figure.joints.map((joint) => [joint.name, joint.at]));
        return (
          [
            ['front', front],
            ['side', side],
          ] as const
        ).map(([from, view]) => (
          <g key={`${figure.id} ${from}`} opacity={figures.length > 1 ? 0.85 : 1}>
            {figure.joints.map((joint) => {
              const above = joint.parent && at.get(joint.parent);
              if (!above || (joint.parent === figure.joints[0].name && figure.joints[0].role === 'helper')) return null;
              const p = view(above, figure),
                q = view(joint.at, figure);
              return (
                <line
                  key={joint.name}
                  x1={p.x}
                  y1={p.y}
                  x2={q.x}
                  y2={q.y}
                  stroke={COLORS[f]}
                  strokeWidth="1.6"
                  strokeOpacity="0.8"
                />
              );
            })}
            {figure.joints.map((joint) => {
              const p = view(joint.at, figure),
                mine = picked === joint.name;
              return (
                // biome-ignore lint/a11y/noStaticElementInteractions: the list beside it does the same by keyboard
                <circle
                  key={joint.name}
                  cx={p.x}
                  cy={p.y}
                  r={mine ? 6 : sizeOf(joint.role)}
                  fill={mine ? '#fff' : '#f2ead6'}
                  stroke={COLORS[f]}
                  strokeWidth="1.2"
                  className="pick"
                  onClick={() => onPick(joint.name)}
                >
                  <title>
                    {joint.name}: {joint.role}
                  </title>
                </circle>
              );
            })}
          </g>
        ));
      })}
      <text x="235" y={HEIGHT - 9} textAnchor="middle" fill="#b9c1c6" fontSize="12">
        from the front
      </text>
      <text x="555" y={HEIGHT - 9} textAnchor="middle" fill="#b9c1c6" fontSize="12">
        from its left
      </text>
      {figures.length > 1 &&
        figures.map((figure, f) => (
          <text key={figure.id} x="16" y={26 + f * 18} fill={COLORS[f]} fontSize="13" fontWeight="600">
            {figure.title}
          </text>
        ))}
    </svg>
  );
}
