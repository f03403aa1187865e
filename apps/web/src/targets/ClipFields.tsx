import { NativeSelect, Switch, TagsInput } from '@mantine/core';
import type { ClipsWanted } from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { Section } from './Section.tsx';

const ALL: ClipsWanted = { keep: 'all', rest: false, rangeOfMotion: false };
const KEPT = [
  { value: 'all', label: 'All it has' },
  { value: 'none', label: 'None' },
  { value: 'named', label: 'These' },
];

/** Which clips go out, and which are made for whoever sets the figure up. */
export function ClipFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  const clips = draft.package.clips ?? ALL,
    named = Array.isArray(clips.keep);
  function put(part: Partial<ClipsWanted>) {
    const next = { ...clips, ...part },
      asItIs = next.keep === 'all' && !next.rest && !next.rangeOfMotion;
    change({ package: { ...draft.package, clips: asItIs ? undefined : next } });
  }
  return (
    <Section title="Clips">
      <NativeSelect
        label="Clips"
        {...said('package.clips')}
        value={named ? 'named' : (clips.keep as string)}
        onChange={({ target: { value } }) => put({ keep: value === 'named' ? ['Idle'] : (value as 'all' | 'none') })}
        data={KEPT}
      />
      {named && (
        <TagsInput
          label="Their names"
          value={[...(clips.keep as string[])]}
          // The last one can't be taken out: that would be none.
          onChange={(keep) => keep.length && put({ keep })}
        />
      )}
      <Switch
        label="With the rest pose"
        checked={clips.rest}
        onChange={(event) => put({ rest: event.currentTarget.checked })}
      />
      <Switch
        label="With a range of motion"
        checked={clips.rangeOfMotion}
        onChange={(event) => put({ rangeOfMotion: event.currentTarget.checked })}
      />
    </Section>
  );
}
