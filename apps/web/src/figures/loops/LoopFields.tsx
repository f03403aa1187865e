import { Checkbox } from '@mantine/core';
import { type Figure, holdFigureLoop, loopsOfFigure, removeFigureLoop, renameFigureLoop } from '@dimetra/core';
import { LeaveOut } from '../LeaveOut.tsx';
import { NameField } from '../NameField.tsx';
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
              <NameField
                name={loop.name}
                maxLength={60}
                rename={(value) => {
                  const next = renameFigureLoop(figure, loop.name, value);
                  if (next === figure) return false;
                  onChange(next);
                  onPick(value.trim());
                  return true;
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
              <LeaveOut
                name={loop.name}
                title="Leave this loop out"
                onClick={() => onChange(removeFigureLoop(figure, loop.name))}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
