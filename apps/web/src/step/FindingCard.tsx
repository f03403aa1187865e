import type { Finding } from '@dimetra/core';
import type { ReactNode } from 'react';

const LEVEL = { info: 'info', warning: 'attention', error: 'blocks' } as const;
const WORD = { info: 'noted', warning: 'look at this', error: 'needs you' } as const;

/** One finding in plain words; J and K walk from one to the next. */
export function FindingCard({ finding, children }: { finding: Finding; children?: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: findings are walked through by keyboard
    <article className={`card ${LEVEL[finding.severity]}`} data-finding tabIndex={0}>
      <div className="top">
        <span>{finding.where ?? 'Character'}</span>
        <span>{WORD[finding.severity]}</span>
      </div>
      <p>{finding.message}</p>
      {children && <div className="acts">{children}</div>}
    </article>
  );
}
