export const isRoot: boolean;
export function install(packages: string[], why: string): void;
export function findPostgres(): string | null;
export function findChromium(): string | null;
