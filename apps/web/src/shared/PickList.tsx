import styles from './PickList.module.css';

interface PickListProps {
  label: string;
  rows: readonly { id: string; title: string; count: number }[];
  chosen: string | undefined;
  onPick(id: string): void;
}

/** Names to choose one of, each with a count. */
export function PickList({ label, rows, chosen, onPick }: PickListProps) {
  return (
    <nav aria-label={label} className={styles.list}>
      {rows.map(({ id, title, count }) => (
        <button
          key={id}
          type="button"
          className={`crumb ${styles.row} ${id === chosen ? 'here' : ''}`}
          aria-current={id === chosen ? 'page' : undefined}
          onClick={() => onPick(id)}
        >
          {title}
          <span className="num quiet">{count.toLocaleString('en-GB')}</span>
        </button>
      ))}
    </nav>
  );
}
