import { ActionIcon, Menu } from '@mantine/core';
import { IconDots } from '@tabler/icons-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { useTargetsQuery } from '../api/api.ts';
import type { CharacterRow } from '@dimetra/contract';
import { count } from '../shared/format.ts';
import { outcomeOf } from '../shared/outcome.ts';
import { AskName, AskRemove } from './ask.tsx';
import styles from './cast.module.css';

/** One character: its picture, what it is made of, what became of its runs. */
export function Person({ row }: { row: CharacterRow }) {
  const { data: targets = [] } = useTargetsQuery();
  const [asking, setAsking] = useState<'remove' | 'rename' | null>(null);
  const close = () => setAsking(null);
  return (
    <article className="person" data-character={row.name}>
      <Link to={`/c/${row.id}`} className="picture" aria-label={`Open ${row.name}`} tabIndex={-1}>
        {row.picture ? (
          <img src={`/api/v1/characters/${row.id}/picture?${row.picture.slice(0, 8)}`} alt={row.name} />
        ) : (
          <span className={styles.taking}>Taking its picture …</span>
        )}
      </Link>
      <div className="about">
        <div className={styles.line}>
          <Link to={`/c/${row.id}`} className={styles.name}>
            {row.name}
          </Link>
          <Menu position="bottom-end">
            <Menu.Target>
              <ActionIcon variant="subtle" color="gray" aria-label={`More for ${row.name}`}>
                <IconDots size={16} />
              </ActionIcon>
            </Menu.Target>
            <Menu.Dropdown>
              <Menu.Item onClick={() => setAsking('rename')}>Rename</Menu.Item>
              <Menu.Item color="red" onClick={() => setAsking('remove')}>
                Remove
              </Menu.Item>
            </Menu.Dropdown>
          </Menu>
        </div>
        <span className={`quiet num ${styles.small}`}>
          {row.heightCm.toFixed(0)} cm · {count(row.triangles)} triangles · {row.joints} joints · {row.morphs} morphs
        </span>
        {row.conversions
          .filter((entry) => entry.state)
          .map((entry) => (
            <Link key={entry.id} to={`/c/${row.id}/${entry.targetId}/check`} className={`quiet ${styles.run}`}>
              <span>{targets.find((target) => target.id === entry.targetId)?.title ?? entry.targetId}</span>
              <span className={entry.verdict?.state === 'blocks' ? styles.blocked : styles.fine}>
                {outcomeOf(entry)}
              </span>
            </Link>
          ))}
      </div>
      {asking === 'remove' && <AskRemove row={row} onClose={close} />}
      {asking === 'rename' && <AskName row={row} onClose={close} />}
    </article>
  );
}
