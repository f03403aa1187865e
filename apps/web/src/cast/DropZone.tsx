import { Button, Progress } from '@mantine/core';
import { IconUpload } from '@tabler/icons-react';
import { useRef, useState } from 'react';
import { Link } from 'react-router';
import { api } from '../api/api.ts';
import { type CameIn, upload, type Arrival } from '../api/upload.ts';
import { useDrop } from '../api/use-drop.ts';
import { useAppDispatch } from '../store/store.ts';
import styles from './cast.module.css';

/** Files, folders or an archive, dropped or chosen. */
export function DropZone({ empty }: { empty: boolean }) {
  const dispatch = useAppDispatch();
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
  const { over, handlers } = useDrop((arrivals) => void send(arrivals));
  const chosen = (list: FileList | null) => {
    if (list) void send([...list].map((file) => ({ path: file.webkitRelativePath || file.name, file })));
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping has buttons beside it
    <div className={`drop ${over ? 'over' : ''} ${empty ? styles.alone : ''}`} {...handlers}>
      {state ? (
        <div className={styles.sending} role="status">
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
          <div className={styles.choices}>
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
        <div className={`card blocks ${styles.problem}`} role="alert">
          <p>{problem}</p>
        </div>
      )}
      {done && <CameInSaid {...done} />}
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

/** Who came in, and what of it could not be read. */
function CameInSaid({ id, name, others, failed }: CameIn) {
  const all = [{ id, name }, ...others];
  return (
    <div role="status">
      {others.length ? (
        <>
          {all.length} characters are in:{' '}
          {all.map((entry, i) => (
            <span key={entry.id}>
              {i ? ', ' : ''}
              <Link to={`/c/${entry.id}`} className={styles.link}>
                {entry.name}
              </Link>
            </span>
          ))}
          .
        </>
      ) : (
        <>
          {name} is in.{' '}
          <Link to={`/c/${id}`} className={styles.link}>
            Open it
          </Link>
        </>
      )}
      {failed.map((entry) => (
        <div key={entry.path} role="alert" className={styles.failed}>
          {entry.message}
        </div>
      ))}
    </div>
  );
}
