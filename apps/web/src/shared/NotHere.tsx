import { Button } from '@mantine/core';
import { Link, useRouteError } from 'react-router';

/** An address that leads nowhere, or a page that broke. */
export function NotHere() {
  const error = useRouteError();
  return (
    <div className="page">
      <h1>{error ? 'This page stopped on an error' : 'Nothing is at this address'}</h1>
      <p className="quiet">
        {error instanceof Error
          ? `${error.message}. Your work is saved on the server.`
          : 'It may have been removed. The cast is the place to start from.'}
      </p>
      <Button component={Link} to="/" reloadDocument={Boolean(error)}>
        Go to the cast
      </Button>
    </div>
  );
}
