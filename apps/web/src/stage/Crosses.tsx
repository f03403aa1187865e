import styles from './Crosses.module.css';

/** What Enter takes: the middle of each picture. */
export function Crosses({ pair }: { pair: boolean }) {
  return (
    <>
      {(pair ? ['25%', '75%'] : ['50%']).map((left) => (
        <span key={left} className={styles.cross} style={{ left }} aria-hidden="true" />
      ))}
    </>
  );
}
