export function kernelText(name: string): Promise<string>;
export function kernelNames(): string[];
export function kernelPath(name: string): string;
