import { Button } from '@mantine/core';

/** What could not be loaded or done, in a sentence, with the way to ask for it again where there is one. */
export function Failed({ sentence, onAgain }: { sentence: string; onAgain?: () => void }) {
  return (
    <div className="card blocks" role="alert">
      <p>{sentence}</p>
      {onAgain && (
        <div className="acts">
          <Button size="compact-sm" variant="default" onClick={onAgain}>
            Try again
          </Button>
        </div>
      )}
    </div>
  );
}
