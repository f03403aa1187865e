import type { KeyboardEvent } from 'react';

/**
 * Arrows in a list of `role=option`, whatever its shape: left and right to the next, up and down to what stands above and
 * below, Home and End to its ends. What is come to is pressed, as a list with one choice does.
 */
export function listArrows(event: KeyboardEvent<HTMLElement>): void {
  const options = [...event.currentTarget.querySelectorAll<HTMLElement>('[role=option]')],
    at = options.indexOf((event.target as HTMLElement).closest('[role=option]') as HTMLElement);
  if (at < 0) return;
  const to = goal(event.key, options, at);
  if (to === null) return;
  event.preventDefault();
  const next = options[Math.max(0, Math.min(options.length - 1, to))];
  next.focus();
  next.click();
}

function goal(key: string, options: readonly HTMLElement[], at: number): number | null {
  // As many stand in a row as lie as high as the first.
  const row = Math.max(1, options.filter((option) => option.offsetTop === options[0].offsetTop).length);
  switch (key) {
    case 'ArrowRight':
      return at + 1;
    case 'ArrowLeft':
      return at - 1;
    case 'ArrowDown':
      return at + row < options.length ? at + row : at;
    case 'ArrowUp':
      return at - row >= 0 ? at - row : at;
    case 'Home':
      return 0;
    case 'End':
      return options.length - 1;
    default:
      return null;
  }
}
