import { ActionIcon, Button, Menu, Modal, Progress, TextInput } from '@mantine/core';
import { IconDots, IconUpload } from '@tabler/icons-react';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import {
  api,
  sentenceOf,
  useCharactersQuery,
  useProductionQuery,
  useRemoveCharacterMutation,
  useRenameCharacterMutation,
  useTargetsQuery,
} from '../api/api.ts';
import type { CharacterRow } from '@dimetra/contract';
import { count } from '../shared/format.ts';
import { useAppDispatch } from '../store/store.ts';
import { type CameIn, arrivalsOfDrop, upload, type Arrival } from '../api/upload.ts';

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
      {error !== undefined && (
        <div className="card blocks" role="alert">
          <p>{sentenceOf(error)}</p>
          <div className="acts">
            <Button size="compact-sm" variant="default" onClick={refetch}>
              Try again
            </Button>
          </div>
        </div>
      )}
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

function Person({ row }: { row: CharacterRow }) {
  const { data: targets = [] } = useTargetsQuery();
  const [remove] = useRemoveCharacterMutation();
  const [rename] = useRenameCharacterMutation();
  const [asking, setAsking] = useState<'remove' | 'rename' | null>(null);
  const [name, setName] = useState(row.name);
  const [problem, setProblem] = useState<string | null>(null);
  const close = () => {
    setAsking(null);
    setProblem(null);
  };
  return (
    <article className="person" data-character={row.name}>
      <Link to={`/c/${row.id}`} className="picture" aria-label={`Open ${row.name}`} tabIndex={-1}>
        {row.picture ? (
          <img src={`/api/v1/characters/${row.id}/picture?${row.picture.slice(0, 8)}`} alt={row.name} />
        ) : (
          <span style={{ color: '#d8d5cc' }}>Taking its picture …</span>
        )}
      </Link>
      <div className="about">
        <div style={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center' }}>
          <Link to={`/c/${row.id}`} style={{ color: 'inherit', fontWeight: 600, fontSize: 16, textDecoration: 'none' }}>
            {row.name}
          </Link>
          <Menu position="bottom-end">
            <Menu.Target>
              <ActionIcon variant="subtle" color="gray" aria-label={`More for ${row.name}`}>
                <IconDots size={16} />
              </ActionIcon>
            </Menu.Target>
            <Menu.Dropdown>
              <Menu.Item onClick={() => setAsking('rename')}>Rename</Menu.Item>
              <Menu.Item color="red" onClick={() => setAsking('remove')}>
                Remove
              </Menu.Item>
            </Menu.Dropdown>
          </Menu>
        </div>
        <span className="quiet num" style={{ fontSize: 12.5 }}>
          {row.heightCm.toFixed(0)} cm · {count(row.triangles)} triangles · {row.joints} joints · {row.morphs} morphs
        </span>
        {row.conversions
          .filter((entry) => entry.state)
          .map((entry) => (
            <Link
              key={entry.id}
              to={`/c/${row.id}/${entry.targetId}/check`}
              className="quiet"
              style={{ textDecoration: 'none', fontSize: 13, display: 'flex', justifyContent: 'space-between' }}
            >
              <span>{targets.find((target) => target.id === entry.targetId)?.title ?? entry.targetId}</span>
              <span style={{ color: entry.verdict?.state === 'blocks' ? 'var(--blocked)' : 'var(--ink)' }}>
                {outcome(entry)}
              </span>
            </Link>
          ))}
      </div>
      <Modal opened={asking === 'remove'} onClose={close} title={`Remove ${row.name}?`}>
        <p>Its source, recipes, runs and packages go with it. This can't be undone.</p>
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button variant="default" onClick={close}>
            Keep it
          </Button>
          <Button
            color="red"
            onClick={() => {
              close();
              void remove(row.id);
            }}
          >
            Remove {row.name}
          </Button>
        </div>
      </Modal>
      <Modal opened={asking === 'rename'} onClose={close} title="Rename">
        <form
          onSubmit={async (event) => {
            event.preventDefault();
            const answer = await rename({ id: row.id, name });
            if (answer.error) setProblem(sentenceOf(answer.error));
            else close();
          }}
        >
          <TextInput
            label="Name"
            value={name}
            onChange={(event) => setName(event.target.value)}
            error={problem}
            data-autofocus
          />
          <Button type="submit" mt={12}>
            Rename
          </Button>
        </form>
      </Modal>
    </article>
  );
}

/** Files, folders or an archive, dropped or chosen. */
function DropZone({ empty }: { empty: boolean }) {
  const dispatch = useAppDispatch();
  const [over, setOver] = useState(false);
  const [state, setState] = useState<{ name: string; fraction: number } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [done, setDone] = useState<CameIn | null>(null);
  const stop = useRef<AbortController | null>(null);
  const files = useRef<HTMLInputElement>(null),
    folder = useRef<HTMLInputElement>(null);
  const send = async (arrivals: Arrival[]) => {
    if (!arrivals.length) return;
    setProblem(null);
    setDone(null);
    stop.current = new AbortController();
    const name = arrivals.length === 1 ? arrivals[0].path : `${arrivals.length} files`;
    setState({ name, fraction: 0 });
    try {
      setDone(await upload(arrivals, (fraction) => setState({ name, fraction }), stop.current.signal));
    } catch (error) {
      setProblem((error as Error).message);
    }
    setState(null);
    dispatch(api.util.invalidateTags(['characters']));
  };
  const chosen = (list: FileList | null) => {
    if (list) void send([...list].map((file) => ({ path: file.webkitRelativePath || file.name, file })));
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping has buttons beside it
    <div
      className={`drop ${over ? 'over' : ''}`}
      style={empty ? { gridColumn: '1 / -1', minHeight: 320 } : undefined}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={async (event) => {
        event.preventDefault();
        setOver(false);
        void send(await arrivalsOfDrop(event.dataTransfer));
      }}
    >
      {state ? (
        <div style={{ width: '80%' }} role="status">
          <p>{state.fraction < 1 ? `Sending ${state.name}` : `Reading ${state.name}`}</p>
          <Progress
            value={state.fraction * 100}
            animated={state.fraction >= 1}
            color="var(--ink-2)"
            aria-label="Upload"
          />
          <Button mt={12} size="compact-sm" variant="default" onClick={() => stop.current?.abort()}>
            Stop
          </Button>
        </div>
      ) : (
        <>
          <IconUpload size={26} aria-hidden="true" />
          <div>
            {empty ? <b>No characters yet. </b> : null}Drop a character: glTF, VRM, USD, COLLADA or OBJ with its files,
            a BVH skeleton, a folder or a ZIP archive.
          </div>
          <div style={{ display: 'flex', gap: 8 }}>
            <Button size="compact-sm" variant="default" onClick={() => files.current?.click()}>
              Choose files
            </Button>
            <Button size="compact-sm" variant="default" onClick={() => folder.current?.click()}>
              Choose a folder
            </Button>
          </div>
        </>
      )}
      {problem && (
        <div className="card blocks" role="alert" style={{ textAlign: 'left' }}>
          <p style={{ margin: 0, color: 'var(--ink)' }}>{problem}</p>
        </div>
      )}
      {done && (
        <div role="status">
          {done.others.length ? (
            <>
              {done.others.length + 1} characters are in:{' '}
              {[done, ...done.others].map((entry, i) => (
                <span key={entry.id}>
                  {i ? ', ' : ''}
                  <Link to={`/c/${entry.id}`} style={{ color: 'var(--ink)' }}>
                    {entry.name}
                  </Link>
                </span>
              ))}
              .
            </>
          ) : (
            <>
              {done.name} is in.{' '}
              <Link to={`/c/${done.id}`} style={{ color: 'var(--ink)' }}>
                Open it
              </Link>
            </>
          )}
          {done.failed.map((entry) => (
            <div key={entry.path} role="alert" style={{ marginTop: 6 }}>
              {entry.message}
            </div>
          ))}
        </div>
      )}
      <input
        ref={files}
        type="file"
        multiple
        hidden
        data-files
        aria-label="Files of a character"
        onChange={(event) => {
          chosen(event.target.files);
          event.target.value = '';
        }}
      />
      <input
        ref={folder}
        type="file"
        hidden
        aria-label="Folder of a character"
        {...{ webkitdirectory: '' }}
        onChange={(event) => {
          chosen(event.target.files);
          event.target.value = '';
        }}
      />
    </div>
  );
}

/** What became of the last run for a target: the verdict's own numbers. */
function outcome({ state, verdict }: CharacterRow['conversions'][number]): string {
  if (state === 'failed') return '■ failed';
  if (state !== 'done' || !verdict) return `○ ${state}`;
  if (verdict.state === 'blocks') return `■ ${verdict.blocking} ${verdict.blocking === 1 ? 'blocks' : 'block'}`;
  return verdict.state === 'noted' ? `◐ deliverable, ${verdict.noted} noted` : '● deliverable';
}
