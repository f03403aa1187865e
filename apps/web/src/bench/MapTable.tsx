import { Button, FileButton } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import {
  channelOfMap,
  channelWords,
  type ImagesPlaced,
  mapsOf,
  NAMED_CHANNELS,
  type NamedChannel,
  ownOf,
} from '@dimetra/core';
import { Fragment, useMemo, useState } from 'react';
import { api, sentenceOf, useGoBackMutation } from '../api/api.ts';
import { sendFiles } from '../api/upload.ts';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';

const ALWAYS: readonly NamedChannel[] = ['baseColor', 'normal', 'roughness', 'occlusion'];
type Answer = ImagesPlaced & { revisionId: string; before?: string };

/** Materials down, channels across, a thumbnail where there is a map and a gap where there is none; drop an image on either. */
export function MapTable() {
  const { character, figures } = useDesk();
  const dispatch = useAppDispatch();
  const [goBack] = useGoBackMutation();
  const [over, setOver] = useState<string | null>(null);
  const [busy, setBusy] = useState<string | null>(null);
  const figure = figures.source;
  const rows = useMemo(
    () =>
      figure?.document
        .getRoot()
        .listMaterials()
        .map((material) => {
          const maps = new Map(
            mapsOf(material).map((use) => [
              channelOfMap(use.channel),
              {
                file: (use.texture.getURI() || use.texture.getName()).replace(/^.*\//, ''),
                hash: figure.imageOf.get(use.texture),
              },
            ]),
          );
          const waiting = Object.keys(ownOf(material, 'maps') ?? {})
            .map((channel) => (channel === 'shininess' ? 'gloss' : channel))
            .filter((channel): channel is NamedChannel => (NAMED_CHANNELS as readonly string[]).includes(channel));
          return { name: material.getName(), maps, waiting };
        }) ?? [],
    [figure],
  );
  if (!rows.length) return null;
  const channels = [
    ...ALWAYS,
    ...new Set(
      rows.flatMap((row) => [...row.maps.keys(), ...row.waiting].filter((channel) => !ALWAYS.includes(channel))),
    ),
  ];
  const bring = async (files: readonly File[], slot?: { material: string; channel: NamedChannel }) => {
    if (!files.length) return;
    setBusy(slot ? `${slot.material} ${slot.channel}` : 'all');
    const query = slot ? `?material=${encodeURIComponent(slot.material)}&channel=${slot.channel}` : '';
    try {
      const answer = await sendFiles<Answer>(
        `/api/v1/characters/${character.id}/images${query}`,
        files.map((file) => ({ path: file.webkitRelativePath || file.name, file })),
      );
      const { before } = answer;
      const back = before && (
        <Button
          size="compact-xs"
          variant="default"
          mt={6}
          onClick={async () => {
            const taken = await goBack({ id: character.id, copyOf: before });
            if ('error' in taken) notifications.show({ message: sentenceOf(taken.error), color: 'red' });
            else notifications.hide(answer.revisionId);
          }}
        >
          Take back
        </Button>
      );
      notifications.show({
        id: answer.revisionId,
        message: (
          <div data-brought>
            {said(answer)}
            <br />
            {back}
          </div>
        ),
        // There is a decision in it.
        autoClose: 60_000,
      });
      dispatch(api.util.invalidateTags(['characters']));
    } catch (error) {
      notifications.show({ message: (error as Error).message, color: 'red' });
    }
    setBusy(null);
  };
  const dropped = (event: React.DragEvent, slot?: { material: string; channel: NamedChannel }) => {
    event.preventDefault();
    event.stopPropagation();
    setOver(null);
    void bring([...event.dataTransfer.files], slot);
  };
  const drag = (key: string) => ({
    onDragOver: (event: React.DragEvent) => {
      event.preventDefault();
      event.stopPropagation();
      setOver(key);
    },
    onDragLeave: () => setOver(null),
  });
  const gaps = rows.reduce(
    (sum, row) => sum + ALWAYS.filter((channel) => !row.maps.has(channel) && !row.waiting.includes(channel)).length,
    0,
  );
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping has buttons beside it
    <div className={`maps ${over === 'all' ? 'over' : ''}`} {...drag('all')} onDrop={(event) => dropped(event)}>
      <div className="ends">
        <h3>
          Maps <span className="quiet">{gaps} gaps</span>
        </h3>
        <FileButton accept="image/*,.tga,.tif,.tiff,.bmp,.ktx2" multiple onChange={(files) => void bring(files)}>
          {(props) => (
            <Button
              size="compact-xs"
              variant="default"
              loading={busy === 'all'}
              title="Each takes the place of the map of its name, everywhere it is used"
              {...props}
            >
              Bring edited images in
            </Button>
          )}
        </FileButton>
      </div>
      <div
        className="grid"
        style={{ gridTemplateColumns: `minmax(96px, 1fr) repeat(${channels.length}, minmax(28px, 56px))` }}
      >
        <span />
        {channels.map((channel) => (
          <span key={channel} className="head" title={channelWords(channel)}>
            {channelWords(channel).split(',')[0]}
          </span>
        ))}
        {rows.map((row) => (
          <Fragment key={row.name}>
            <span className="clip" title={row.name}>
              {row.name}
            </span>
            {channels.map((channel) => {
              const map = row.maps.get(channel),
                key = `${row.name} ${channel}`,
                waits = row.waiting.includes(channel),
                slot = { material: row.name, channel };
              const title = map
                ? `${map.file}. Drop or choose an image to replace it everywhere it is used`
                : waits
                  ? `${channelWords(channel)} map, waiting for the materials step`
                  : `No ${channelWords(channel)} map. Drop or choose an image`;
              return (
                <FileButton
                  key={channel}
                  accept="image/*,.tga,.tif,.tiff,.bmp,.ktx2"
                  onChange={(file) => file && void bring([file], slot)}
                >
                  {(props) => (
                    <button
                      type="button"
                      className={`cell ${map ? '' : waits ? 'waits' : 'gap'} ${over === key ? 'over' : ''}`}
                      data-slot={key}
                      aria-label={`${row.name}, ${channelWords(channel)}: ${map?.file ?? (waits ? 'waiting' : 'none')}`}
                      title={title}
                      aria-busy={busy === key}
                      {...props}
                      {...drag(key)}
                      onDrop={(event) => dropped(event, slot)}
                    >
                      {map?.hash ? <img src={`/api/v1/images/${map.hash}?max=96`} alt="" loading="lazy" /> : null}
                    </button>
                  )}
                </FileButton>
              );
            })}
          </Fragment>
        ))}
      </div>
    </div>
  );
}

function said({ replaced, placed, same, loose }: ImagesPlaced): string {
  const words = replaced
    .map(
      ({ file, texture, uses }) =>
        `“${file}” took the place of “${texture}”${uses.length ? `, used ${uses.length === 1 ? 'once' : `${uses.length} times`}` : ''}.`,
    )
    .concat(
      placed.map(
        ({ file, material, channel }) => `“${file}” is now the ${channelWords(channel)} map of “${material}”.`,
      ),
    );
  if (same.length)
    words.push(`${same.length === 1 ? `“${same[0]}” is` : `${same.length} images are`} the same as before.`);
  if (loose.length)
    words.push(
      `${loose.length === 1 ? `“${loose[0]}” belongs` : `${loose.length} images belong`} to no map by name; drop ${loose.length === 1 ? 'it' : 'them'} on a place.`,
    );
  return words.slice(0, 4).join(' ') + (words.length > 4 ? ` And ${words.length - 4} more.` : '');
}
