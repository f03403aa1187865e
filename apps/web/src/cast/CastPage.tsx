import { Button, TextInput } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { api, sentenceOf, useCharactersQuery, useProductionQuery } from '../api/api.ts';
import type { CharacterRow } from '@dimetra/contract';
import { Failed } from '../shared/Failed.tsx';
import { useAppDispatch } from '../store/store.ts';
import { DropZone } from './DropZone.tsx';
import { Person } from './Person.tsx';

/** All characters of the production, and the place to bring in another. */
export function CastPage() {
  const { data: production } = useProductionQuery();
  const { data: rows, error, refetch } = useCharactersQuery();
  const [filter, setFilter] = useState('');
  const shown = rows?.filter((row) => row.name.toLowerCase().includes(filter.toLowerCase()));
  usePictures(rows);
  return (
    <main className="page">
      <header>
        <div>
          <h1>{production?.name ?? 'Cast'}</h1>
          <span className="quiet">
            {rows ? `${rows.length} ${rows.length === 1 ? 'character' : 'characters'}` : 'Loading the cast …'}
          </span>
        </div>
        {rows && rows.length > 0 && (
          <Button component={Link} to="/matrix" variant="default" size="compact-md">
            Cast by targets
          </Button>
        )}
        {rows && rows.length > 6 && (
          <TextInput
            placeholder="Filter"
            value={filter}
            onChange={(event) => setFilter(event.target.value)}
            aria-label="Filter characters"
            data-filter
          />
        )}
      </header>
      {error !== undefined && <Failed sentence={sentenceOf(error)} onAgain={refetch} />}
      <div className="cast">
        {shown?.map((row) => (
          <Person key={row.id} row={row} />
        ))}
        <DropZone empty={rows?.length === 0} />
      </div>
    </main>
  );
}

/** Takes missing pictures one after the other, when the page has nothing else to do. */
function usePictures(rows: CharacterRow[] | undefined): void {
  const dispatch = useAppDispatch();
  const busy = useRef(new Set<string>());
  useEffect(() => {
    const next = rows?.find((row) => !row.picture && !busy.current.has(row.id));
    if (!next) return;
    busy.current.add(next.id);
    import('./pictures.ts')
      .then(({ takePicture }) => takePicture(next.id, next.revisionId))
      .then(
        () => dispatch(api.util.invalidateTags(['characters'])),
        () => {},
      );
  }, [rows, dispatch]);
}
