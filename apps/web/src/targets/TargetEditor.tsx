import { Button, Textarea, TextInput } from '@mantine/core';
import type { Target } from '@dimetra/core';
import { useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { sentenceOf, useAddTargetMutation, useRemoveTargetMutation, useSaveTargetMutation } from '../api/api.ts';
import type { TargetRow } from '@dimetra/contract';
import { AtHand } from './at-hand.tsx';
import { AppearanceFields } from './AppearanceFields.tsx';
import { ClipFields } from './ClipFields.tsx';
import { CountFields } from './CountFields.tsx';
import { GradeFields } from './GradeFields.tsx';
import { JointFields } from './JointFields.tsx';
import { LevelFields } from './LevelFields.tsx';
import { MapFields } from './MapFields.tsx';
import { MaterialFields } from './MaterialFields.tsx';
import { NameFields } from './NameFields.tsx';
import { PackageFields } from './PackageFields.tsx';
import { ParityFields } from './ParityFields.tsx';
import { RuleFields } from './RuleFields.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

/** One target, to change, copy, take out as JSON or remove. */
export function TargetEditor({ target, taken }: { target: TargetRow; taken: string[] }) {
  const navigate = useNavigate();
  const [save, saving] = useSaveTargetMutation();
  const [add] = useAddTargetMutation();
  const [remove] = useRemoveTargetMutation();
  const [draft, setDraft] = useState<Target>(target);
  const [problem, setProblem] = useState<string | null>(null);
  // What was last the same here and on the server: what is written while an answer is on its way isn't lost to it.
  const settled = useRef<Target>(target);
  useEffect(() => {
    const before = settled.current;
    settled.current = target;
    setDraft((now) => (now === before || now.id !== target.id ? target : now));
  }, [target]);
  const change = (part: Partial<Target>) => setDraft({ ...draft, ...part });
  const clean = (): Target => {
    const { shipped: _, ...rest } = draft as TargetRow;
    return rest;
  };
  const same = JSON.stringify(clean()) === JSON.stringify((({ shipped: _, ...rest }) => rest)(target));
  const copy = async () => {
    let id = `${target.id}-copy`;
    for (let n = 2; taken.includes(id); n++) id = `${target.id}-copy-${n}`;
    const answer = await add({
      ...clean(),
      id,
      title: `${target.title} copy`,
      origin: { ...draft.origin, copyOf: target.id },
    });
    if (answer.error) setProblem(sentenceOf(answer.error));
    else navigate(`/targets/${id}`);
  };
  return (
    <form
      onSubmit={async (event) => {
        event.preventDefault();
        setProblem(null);
        settled.current = draft;
        const answer = await save(clean());
        if (!answer.error) return;
        settled.current = target;
        setProblem(sentenceOf(answer.error));
      }}
    >
      <div className={styles.head}>
        <span className="quiet">
          {target.shipped ? 'Shipped with Dimetra' : 'Made here'} · <span className="num">{target.id}</span>
        </span>
        <span className={styles.actions}>
          {!target.shipped && (
            <Button
              variant="default"
              size="compact-md"
              onClick={async () => {
                await remove(target.id);
                navigate('/targets');
              }}
            >
              Remove
            </Button>
          )}
          <Button
            component="a"
            variant="default"
            size="compact-md"
            href={`data:application/json,${encodeURIComponent(JSON.stringify(clean(), null, 2))}`}
            download={`${target.id}.json`}
          >
            JSON
          </Button>
          <Button variant="default" size="compact-md" onClick={copy}>
            Copy to a new one
          </Button>
          <Button type="submit" size="compact-md" disabled={same} loading={saving.isLoading}>
            Save
          </Button>
        </span>
      </div>
      {problem && (
        <div className="card blocks" role="alert">
          <p className="only">{problem}</p>
        </div>
      )}
      <AtHand target={draft}>
        <Section title="Called">
          <TextInput label="Title" value={draft.title} onChange={(event) => change({ title: event.target.value })} />
          <Textarea
            label="Note"
            autosize
            minRows={1}
            value={draft.note}
            onChange={(event) => change({ note: event.target.value })}
            className={styles.wide}
          />
        </Section>
        <CountFields draft={draft} change={change} />
        <PackageFields draft={draft} change={change} />
        <LevelFields draft={draft} change={change} />
        <GradeFields draft={draft} change={change} />
        <ClipFields draft={draft} change={change} />
        <NameFields draft={draft} change={change} />
        <JointFields draft={draft} change={change} />
        <MapFields draft={draft} change={change} />
        <MaterialFields draft={draft} change={change} />
        <ParityFields draft={draft} change={change} />
        <RuleFields draft={draft} change={change} />
        <AppearanceFields draft={draft} change={change} />
      </AtHand>
    </form>
  );
}
