import { ActionIcon, Checkbox, TextInput } from '@mantine/core';
import { type Figure, holdFigureLoop, loopsOfFigure, removeFigureLoop, renameFigureLoop } from '@dimetra/core';
import { IconTrash } from '@tabler/icons-react';
import { lengthOf } from './LoopList.tsx';

interface LoopFieldsProps {
  figure: Figure;
  picked: string | null;
  onPick(name: string): void;
  onChange(figure: Figure): void;
}

/** Loops of a figure's skin, changed in place. */
export function LoopFields({ figure, picked, onPick, onChange }: LoopFieldsProps) {
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Loop</th>
          <th className="n">mm</th>
          <th title="Whether it is laid on the loop of that name">Holds</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {loopsOfFigure(figure).map((loop) => (
          <tr
            key={loop.name}
            aria-selected={picked === loop.name}
            onFocus={() => onPick(loop.name)}
            data-edit-loop={loop.name}
          >
            <td>
              <TextInput
                size="xs"
                aria-label={`Name of ${loop.name}`}
                defaultValue={loop.name}
                maxLength={60}
                onBlur={(event) => {
                  const next = renameFigureLoop(figure, loop.name, event.target.value);
                  if (next === figure) event.target.value = loop.name;
                  else {
                    onChange(next);
                    onPick(event.target.value.trim());
                  }
                }}
              />
            </td>
            <td className="n num">{lengthOf(loop).toFixed(0)}</td>
            <td>
              <Checkbox
                size="xs"
                aria-label={`${loop.name} holds in a wrap`}
                checked={loop.holds}
                onChange={(event) => onChange(holdFigureLoop(figure, loop.name, event.currentTarget.checked))}
              />
            </td>
            <td className="n">
              <ActionIcon
                variant="subtle"
                color="gray"
                aria-label={`Leave out ${loop.name}`}
                title="Leave this loop out"
                onClick={() => onChange(removeFigureLoop(figure, loop.name))}
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
