import { Button, FileButton } from '@mantine/core';
import { notifications } from '@mantine/notifications';

interface BringInProps {
  /** What the file holds, as a sentence names it: “a treatment”. */
  what: string;
  /** Takes what was read; an error's sentence is shown. */
  onBring(value: unknown): void;
  size?: string;
}

/** Brings something in from a JSON file; a file that can't be used is told, and nothing changes. */
export function BringIn({ what, onBring, size = 'compact-xs' }: BringInProps) {
  const bring = async (file: File | null) => {
    if (!file) return;
    try {
      onBring(JSON.parse(await file.text()));
    } catch (error) {
      const { message } = error as Error;
      notifications.show({
        color: 'red',
        message:
          error instanceof SyntaxError
            ? `“${file.name}” is no JSON: ${message}. Choose ${what} that was exported here.`
            : `“${file.name}”: ${message}`,
      });
    }
  };
  return (
    <FileButton accept="application/json,.json" onChange={(file) => void bring(file)}>
      {(props) => (
        <Button size={size} variant="default" {...props}>
          Bring in
        </Button>
      )}
    </FileButton>
  );
}

/** Saves something as a JSON file. */
export const ExportJson = ({ name, value, size = 'compact-xs' }: { name: string; value: unknown; size?: string }) => (
  <Button
    size={size}
    variant="default"
    component="a"
    download={name}
    href={`data:application/json,${encodeURIComponent(JSON.stringify(value, null, 2))}`}
  >
    Export
  </Button>
);
