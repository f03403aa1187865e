import { Button, Menu } from '@mantine/core';
import { BASE, pairsOfHalves, sideOf, wholeName } from '@dimetra/core';
import { toggled } from './decided.ts';
import styles from './Morphs.module.css';
import { useMorphSettings } from './use-morphs.ts';

/** What can be decided of the morphs that are ticked. */
export function MorphActions({
  chosen,
  all,
  onDone,
}: {
  chosen: readonly string[];
  all: readonly string[];
  onDone(): void;
}) {
  const { drop, setDrop, mirror, setMirror, split, setSplit, carry, setCarry } = useMorphSettings(),
    named = mirror.names && mirror.names !== BASE ? mirror.names : undefined,
    sided = chosen.filter((name) => sideOf(name)),
    halves = pairsOfHalves(all),
    wholes = [...new Set(chosen.map(wholeName))].filter((name) => halves.has(name)),
    done = (change: () => void) => () => {
      change();
      onDone();
    };
  return (
    <div className={styles.actions} role="toolbar" aria-label="What to do with the morphs that are ticked">
      <b className="num">{chosen.length}</b>
      <Button size="compact-xs" variant="default" onClick={done(() => setDrop('names', toggled(drop.names, chosen)))}>
        {chosen.every((name) => drop.names?.includes(name)) ? 'Don’t drop' : 'Drop'}
      </Button>
      <Button size="compact-xs" variant="default" onClick={done(() => setDrop('keep', toggled(drop.keep, chosen)))}>
        {chosen.every((name) => drop.keep?.includes(name)) ? 'Don’t hold' : 'Always keep'}
      </Button>
      <Button
        size="compact-xs"
        variant="default"
        title="Clothes, hair, lashes and brows go along"
        onClick={done(() => setCarry('names', toggled(carry.names, chosen)))}
      >
        {chosen.every((name) => carry.names?.includes(name)) ? 'Don’t carry' : 'Carry'}
      </Button>
      <Menu withinPortal position="bottom-start">
        <Menu.Target>
          <Button size="compact-xs" variant="default">
            Sides ▾
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          <Menu.Item onClick={done(() => setMirror('names', toggled(named, chosen)))}>
            {chosen.every((name) => named?.includes(name))
              ? 'Leave each side its own'
              : `Copy the ${mirror.from ?? 'left'} side over`}
          </Menu.Item>
          <Menu.Item disabled={!sided.length} onClick={done(() => setMirror('flip', toggled(mirror.flip, sided)))}>
            {sided.length && sided.every((name) => mirror.flip?.includes(name))
              ? 'No counterpart'
              : `Make the counterpart${sided.length ? '' : ': no side in the name'}`}
          </Menu.Item>
          <Menu.Item onClick={done(() => setSplit('names', toggled(split.names, chosen)))}>
            {chosen.every((name) => split.names?.includes(name)) ? 'Don’t split' : 'Split left and right'}
          </Menu.Item>
          <Menu.Item disabled={!wholes.length} onClick={done(() => setSplit('join', toggled(split.join, wholes)))}>
            {wholes.length && wholes.every((name) => split.join?.includes(name)) ? 'Leave halves apart' : 'Join halves'}
          </Menu.Item>
        </Menu.Dropdown>
      </Menu>
      <Button size="compact-xs" variant="subtle" color="gray" onClick={onDone}>
        Untick
      </Button>
    </div>
  );
}
