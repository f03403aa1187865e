import { ActionIcon, Button, NativeSelect, TextInput } from '@mantine/core';
import {
  correctFigureRoles,
  HUMANOID_ROLES,
  OTHER_ROLES,
  removeFigureJoint,
  renameFigureJoint,
  roleLabel,
  type Figure,
} from '@dimetra/core';
import { IconTrash } from '@tabler/icons-react';
import type { ReactNode } from 'react';
import styles from './figures.module.css';
import type { Draft } from './use-draft.ts';

const ROLES = [...HUMANOID_ROLES, ...OTHER_ROLES].map((role) => ({ value: role as string, label: roleLabel(role) }));

interface EditorProps {
  figure: Figure;
  draft: Draft;
  saving: boolean;
  onSave(): void;
  children: ReactNode;
}

/** A figure's title and note, and what else of it is edited; nothing is kept until it is saved. */
export function FigureEditor({
  figure,
  draft: { changes, change, undo, leave },
  saving,
  onSave,
  children,
}: EditorProps) {
  return (
    <section aria-label="Edit figure" className={`${styles.list} ${styles.editor}`}>
      <div className={styles.bar}>
        <Button size="compact-sm" loading={saving} disabled={!changes} onClick={onSave}>
          Save
        </Button>
        <Button size="compact-sm" variant="default" disabled={!changes} onClick={undo}>
          Undo
        </Button>
        <Button size="compact-sm" variant="default" onClick={leave}>
          {changes ? 'Leave without saving' : 'Done'}
        </Button>
        <span className="quiet num last">{changes ? `${changes} changes` : ''}</span>
      </div>
      <TextInput
        size="xs"
        label="Title"
        defaultValue={figure.title}
        maxLength={80}
        key={`title ${figure.title}`}
        onBlur={(event) => {
          const title = event.target.value.trim();
          if (title && title !== figure.title) change({ ...figure, title });
        }}
      />
      <TextInput
        size="xs"
        label="Note"
        defaultValue={figure.note}
        maxLength={2000}
        key={`note ${figure.note}`}
        onBlur={(event) => {
          if (event.target.value !== figure.note) change({ ...figure, note: event.target.value });
        }}
      />
      {children}
    </section>
  );
}

interface JointFieldsProps {
  figure: Figure;
  picked: string | null;
  onPick(joint: string): void;
  onChange(figure: Figure): void;
}

/** Joints of a figure, changed in place. */
export function JointFields({ figure, picked, onPick, onChange: change }: JointFieldsProps) {
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Joint</th>
          <th>Role</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {figure.joints.map((joint) => (
          <tr
            key={joint.name}
            aria-selected={picked === joint.name}
            onFocus={() => onPick(joint.name)}
            data-edit={joint.name}
          >
            <td>
              <TextInput
                size="xs"
                aria-label={`Name of ${joint.name}`}
                defaultValue={joint.name}
                maxLength={200}
                onBlur={(event) => {
                  const next = renameFigureJoint(figure, joint.name, event.target.value);
                  if (next === figure) event.target.value = joint.name;
                  else change(next);
                }}
              />
            </td>
            <td>
              <NativeSelect
                size="xs"
                aria-label={`Role of ${joint.name}`}
                value={joint.role}
                data={ROLES}
                onChange={(event) => change(correctFigureRoles(figure, { [joint.name]: event.target.value }))}
              />
            </td>
            <td className="n">
              <ActionIcon
                variant="subtle"
                color="gray"
                aria-label={`Leave out ${joint.name}`}
                title="Leave this joint out; what hangs on it hangs on the joint above"
                disabled={figure.joints.length === 1}
                onClick={() => change(removeFigureJoint(figure, joint.name))}
              >
                <IconTrash size={15} />
              </ActionIcon>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
