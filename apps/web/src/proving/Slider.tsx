import styles from './proving.module.css';

interface SliderProps {
  label: string;
  /** For who can't see what it stands under; the label where left out. */
  says?: string;
  value: number;
  min: number;
  max: number;
  step: number;
  /** How the value is written. */
  show?(value: number): string;
  onChange(value: number): void;
}

/** A name, a slider and its value, in one row. */
export function Slider({ label, says, value, min, max, step, show = String, onChange }: SliderProps) {
  return (
    <label className={styles.slider}>
      <span title={label}>{label}</span>
      <input
        type="range"
        min={min}
        max={max}
        step={step}
        value={value}
        aria-label={says ?? label}
        onChange={(event) => onChange(Number(event.target.value))}
      />
      <output className="num">{show(value)}</output>
    </label>
  );
}
