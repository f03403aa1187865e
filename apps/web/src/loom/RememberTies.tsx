import { Button } from '@mantine/core';
import { isHumanoidRole } from '@dimetra/core';
import { Link } from 'react-router';
import { sentenceOf, useRememberRolesMutation } from '../api/api.ts';
import { useDesk } from '../stage/context.ts';

/** What was tied by hand, kept with the figure that the character's joint names are of: the next one of its kind comes in right. */
export function RememberTies({
  ties,
  targets,
}: {
  ties: Readonly<Record<string, string>>;
  targets: readonly { role: string; name: string }[];
}) {
  const { character } = useDesk();
  const [remember, { data, error, isLoading, reset, originalArgs }] = useRememberRolesMutation();
  const role = (name: string) => targets.find((entry) => entry.name === name)?.role ?? null;
  const found = new Map(character.revision.summary.joints.map((joint) => [joint.name, joint.role as string]));
  const roles = Object.fromEntries(
    Object.entries(ties).flatMap(([joint, name]) => {
      const said = name ? role(name) : null;
      return said && isHumanoidRole(said) && found.get(joint) !== said ? [[joint, said]] : [];
    }),
  );
  const count = Object.keys(roles).length;
  if (!count) return null;
  const done = data && JSON.stringify(originalArgs?.roles) === JSON.stringify(roles);
  return (
    <div className="card ends" data-remember>
      {error ? (
        <span role="alert">{sentenceOf(error)}</span>
      ) : done ? (
        <span role="status">
          Kept with <Link to={`/figures/${data.id}`}>{data.title}</Link>: the next character with these joint names
          comes in right.
        </span>
      ) : (
        <span>
          <b className="num">{count}</b> {count === 1 ? 'joint has' : 'joints have'} another role than was found.
          Characters of the same kind can start with that.
        </span>
      )}
      {!done && (
        <Button
          size="compact-sm"
          variant="default"
          className="stiff"
          loading={isLoading}
          onClick={() => {
            reset();
            void remember({ characterId: character.id, roles });
          }}
        >
          Remember
        </Button>
      )}
    </div>
  );
}
