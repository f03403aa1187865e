import type { ReactNode } from 'react';
import styles from './targets.module.css';

/** Fields of one subject, a sentence a row: what it is, the field, and what that will do to the character at hand. */
export const Section = ({ title, children }: { title: string; children: ReactNode }) => (
  <section className="card" aria-label={title}>
    <h2 className={styles.subject}>{title}</h2>
    <div className={styles.rows}>{children}</div>
  </section>
);
