import { Modal } from '@mantine/core';

const KEYS: [string, string][] = [
  ['1 … 9, 0', 'Stations, left to right'],
  ['Space (hold)', 'See the source alone'],
  ['V', 'Next view'],
  ['J, K', 'Next and previous finding'],
  ['F', 'Frame the figure'],
  ['H', 'Hide the chosen part'],
  ['I', 'Isolate the chosen part'],
  ['/', 'Filter the open list'],
  ['Ctrl Z, Ctrl Shift Z', 'Undo and redo a decision'],
  ['Ctrl K', 'Find anything'],
  ['Esc', 'Choose nothing, show everything'],
  ['?', 'This list'],
];

export function ShortcutsHelp({ opened, onClose }: { opened: boolean; onClose: () => void }) {
  return (
    <Modal opened={opened} onClose={onClose} title="Shortcuts" size="md">
      <table className="list">
        <tbody>
          {KEYS.map(([key, text]) => (
            <tr key={key}>
              <td className="nowrap">
                <kbd>{key}</kbd>
              </td>
              <td>{text}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Modal>
  );
}
