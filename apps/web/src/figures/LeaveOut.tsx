import { ActionIcon } from '@mantine/core';
import { IconTrash } from '@tabler/icons-react';

interface LeaveOutProps {
  name: string;
  /** What becomes of the rest, said when the pointer rests on it. */
  title: string;
  disabled?: boolean;
  onClick(): void;
}

/** Takes a row of the editor out. */
export function LeaveOut({ name, title, disabled = false, onClick }: LeaveOutProps) {
  return (
    <ActionIcon
      variant="subtle"
      color="gray"
      aria-label={`Leave out ${name}`}
      title={title}
      disabled={disabled}
      onClick={onClick}
    >
      <IconTrash size={15} />
    </ActionIcon>
  );
}
