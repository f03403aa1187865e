import { type DragEvent, useState } from 'react';
import { type Arrival, arrivalsOfDrop } from './upload.ts';

/** What a place needs to have files and folders dropped on it, and whether some hang over it. */
export function useDrop(onFiles: (arrivals: Arrival[]) => void) {
  const [over, setOver] = useState(false);
  return {
    over,
    handlers: {
      onDragOver(event: DragEvent) {
        event.preventDefault();
        setOver(true);
      },
      onDragLeave: () => setOver(false),
      async onDrop(event: DragEvent) {
        event.preventDefault();
        setOver(false);
        onFiles(await arrivalsOfDrop(event.dataTransfer));
      },
    },
  };
}
