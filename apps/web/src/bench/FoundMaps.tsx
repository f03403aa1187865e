import { Button } from '@mantine/core';
import { channelWords, findMaps, isLoose } from '@dimetra/core';
import { useMemo } from 'react';
import { useDesk } from '../stage/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';

type Slots = Record<string, Record<string, string>>;
const NONE: Slots = {};

/** Maps that came along without being named by the file, where they go and why; each can be left out again. */
export function FoundMaps() {
  const { figures } = useDesk();
  const dispatch = useAppDispatch();
  const slots = useAppSelector((state) => settingsOf(state.recipe.recipe, 'intake.find-maps').slots ?? NONE);
  const document = figures.source?.document;
  const found = useMemo(() => (document ? findMaps(document) : []), [document]);
  const loose = useMemo(() => (document ? document.getRoot().listTextures().filter(isLoose).length : 0), [document]);
  if (!loose) return null;
  const set = (material: string, channel: string, file: string | undefined) => {
    const { [channel]: _, ...rest } = slots[material] ?? {};
    const next = { ...slots, [material]: file === undefined ? rest : { ...rest, [channel]: file } };
    if (!Object.keys(next[material]).length) delete next[material];
    dispatch(
      settingChanged({
        step: 'intake.find-maps',
        setting: 'slots',
        value: Object.keys(next).length ? next : undefined,
      }),
    );
  };
  return (
    <>
      <h3>
        Maps that came along{' '}
        <span className="num quiet">
          {found.length} of {loose} placed
        </span>
      </h3>
      <table className="list">
        <thead>
          <tr>
            <th>Material</th>
            <th>Map</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {found.map(({ material, channel, file, evidence }) => {
            const name = material.getName(),
              out = slots[name]?.[channel] === '';
            return (
              <tr key={`${name} ${channel}`} data-found-map={file}>
                <td className="clip" title={name}>
                  {name}
                </td>
                <td title={`${file}: ${evidence}`}>
                  <span className={out ? 'out' : undefined}>{channelWords(channel)}</span>
                  <br />
                  <span className="quiet clip small block">{file.replace(/^.*\//, '')}</span>
                </td>
                <td className="n">
                  <Button size="compact-xs" variant="default" onClick={() => set(name, channel, out ? undefined : '')}>
                    {out ? 'Put back' : 'Leave out'}
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {found.length < loose && (
        <p className="quiet">{loose - found.length} images belong to no material by their names.</p>
      )}
    </>
  );
}
