import type { DeliveredFile } from './raw.ts';

/** The files of a package under the paths by which its model reaches them: `../` for each folder it has to leave. */
export function asReached(
  model: DeliveredFile,
  files: readonly DeliveredFile[],
): { model: DeliveredFile; files: DeliveredFile[] } {
  const home = model.path.split('/').slice(0, -1),
    reached = ({ path, bytes }: DeliveredFile): DeliveredFile => {
      const own = path.split('/');
      let shared = 0;
      while (shared < home.length && shared < own.length - 1 && home[shared] === own[shared]) shared++;
      return { path: [...home.slice(shared).map(() => '..'), ...own.slice(shared)].join('/'), bytes };
    };
  return { model: reached(model), files: files.map(reached) };
}
