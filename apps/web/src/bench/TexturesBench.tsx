import { Button, NativeSelect } from '@mantine/core';
import type { CharacterSummary } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { megabytes } from '../shared/format.ts';
import { useSettings } from '../store/use-settings.ts';
import { words } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { MapTable } from './MapTable.tsx';
import { FindingList } from '../step/FindingList.tsx';
import { StepHead } from '../step/StepHead.tsx';

const SIZES = [64, 128, 256, 512, 1024, 2048, 4096, 8192];
const sizeOf = ({ width, height }: { width: number; height: number }): string =>
  width === height ? `${width}²` : `${width} × ${height}`;
const baseOf = (name: string): string => name.replace(/^.*\//, '').replace(/\.[^.]+$/, '');

export function TexturesBench() {
  const { character, target, run } = useDesk();
  const [settings, set] = useSettings('textures.fit');
  const sizes = settings.sizes ?? {};
  const after = new Map(run?.result?.textures.map((texture) => [baseOf(texture.name), texture]) ?? []);
  const sized = run?.steps.find((step) => step.id === 'textures.fit')?.findings ?? [];
  const channels = [...new Set(character.revision.summary.materials.flatMap((material) => Object.keys(material.maps)))];
  return (
    <>
      <StepHead step="textures.fit" title="Textures">
        The target takes maps up to {target.textures.maxSize} pixels
        {target.textures.maxMemoryMB ? ` and ${target.textures.maxMemoryMB} MB on the graphics card` : ''}. Images are
        changed once, at delivery, from the original. Where the memory asks for less, each time the map is halved that
        is missed least from {target.appearance.nearestM} m.
      </StepHead>
      {sized.length > 0 && <h3>What the last run did</h3>}
      <FindingList findings={sized} />
      <MapTable />
      <h3>Longest side</h3>
      <div className="card abreast">
        <NativeSelect
          size="xs"
          label="All maps"
          value={String(settings.maxSize ?? '')}
          onChange={(event) => set('maxSize', event.target.value ? Number(event.target.value) : undefined)}
          data={[
            { value: '', label: `Target: ${target.textures.maxSize}` },
            ...SIZES.filter((size) => size <= target.textures.maxSize).map((size) => ({
              value: String(size),
              label: String(size),
            })),
          ]}
        />
        {channels.map((channel) => (
          <NativeSelect
            key={channel}
            size="xs"
            label={channel}
            value={String(sizes[channel] ?? '')}
            onChange={(event) => {
              const { [channel]: _, ...rest } = sizes;
              set('sizes', event.target.value ? { ...rest, [channel]: Number(event.target.value) } : rest);
            }}
            data={[
              { value: '', label: `Target: ${target.textures.sizes[channel] ?? target.textures.maxSize}` },
              ...SIZES.filter((size) => size <= target.textures.maxSize).map((size) => ({
                value: String(size),
                label: String(size),
              })),
            ]}
          />
        ))}
      </div>
      {(settings.maxSize !== undefined || Object.keys(sizes).length > 0) && (
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => {
            set('maxSize', undefined);
            set('sizes', undefined);
          }}
        >
          Back to the target's sizes
        </Button>
      )}
      <h3>
        Sizes{' '}
        <span className="num quiet">
          {megabytes(character.revision.summary.textureMemoryBytes)} MB
          {run?.result ? ` → ${megabytes(run.result.textureMemoryBytes)} MB` : ''}
        </span>
      </h3>
      {character.revision.summary.textures.length === 0 && <p className="quiet">The character brings no maps.</p>}
      <DataTable
        label="Sizes of maps"
        rows={character.revision.summary.textures}
        keyOf={(texture) => texture.name}
        columns={[
          words('map', 'Map', (texture: CharacterSummary['textures'][number]) => texture.name),
          {
            id: 'source',
            head: 'Source',
            className: 'n',
            headClass: 'source',
            cellClass: 'num',
            by: (texture) => texture.width * texture.height,
            cell: (texture) => <Size {...texture} />,
          },
          {
            id: 'result',
            head: 'Result',
            className: 'n',
            headClass: 'result',
            cellClass: 'num',
            by: ({ name }) => (after.get(baseOf(name))?.width ?? 0) * (after.get(baseOf(name))?.height ?? 0),
            cell: ({ name }) => {
              const now = after.get(baseOf(name));
              if (now) return <Size {...now} />;
              return run?.result ? (
                <span className="quiet" title="No material wears it">
                  not delivered
                </span>
              ) : (
                '–'
              );
            },
          },
        ]}
      />
    </>
  );
}

function Size({ width, height, mimeType }: { width: number; height: number; mimeType: string }) {
  return (
    <>
      {sizeOf({ width, height })}
      <span className="quiet"> {mimeType.slice(6)}</span>
    </>
  );
}
