import styles from './proving.module.css';

/** How to get about: by keys and pointer, or by fingers where those are what there is. */
export function WayHints() {
  return (
    <>
      <div className={`${styles.keys} ${styles.byPointer}`} aria-hidden="true">
        <span>
          <kbd>← ↑ ↓ →</kbd> or <kbd>W A S D</kbd> walk
        </span>
        <span>
          <kbd>Shift</kbd> run
        </span>
        <span>walk at the ladder: climb</span>
        <span>drag: look round</span>
        <span>
          wheel, <kbd>+</kbd> <kbd>−</kbd> nearer
        </span>
        <span>press the ground: go there</span>
      </div>
      <div className={`${styles.keys} ${styles.byFingers}`} aria-hidden="true">
        <span>left half: push to walk, further to run</span>
        <span>right half: look round</span>
        <span>two fingers: nearer</span>
        <span>tap the ground: go there</span>
        <span>walk at the ladder: climb</span>
      </div>
    </>
  );
}
