export function drawMutants(
  files: readonly { path: string; text: string }[],
  count: number,
  seed: number,
): { path: string; what: string; line: number; text: string }[];
