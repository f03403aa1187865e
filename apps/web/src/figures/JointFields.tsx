import { NativeSelect } from '@mantine/core';
import {
  correctFigureRoles,
  type Figure,
  HUMANOID_ROLES,
  OTHER_ROLES,
  removeFigureJoint,
  renameFigureJoint,
  roleLabel,
} from '@dimetra/core';
import { LeaveOut } from './LeaveOut.tsx';
import { NameField } from './NameField.tsx';

const ROLES = [...HUMANOID_ROLES, ...OTHER_ROLES].map((role) => ({ value: role as string, label: roleLabel(role) }));

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
              <NameField
                name={joint.name}
                maxLength={200}
                rename={(value) => {
                  const next = renameFigureJoint(figure, joint.name, value);
                  if (next === figure) return false;
                  change(next);
                  return true;
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
              <LeaveOut
                name={joint.name}
                title="Leave this joint out; what hangs on it hangs on the joint above"
                disabled={figure.joints.length === 1}
                onClick={() => change(removeFigureJoint(figure, joint.name))}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
