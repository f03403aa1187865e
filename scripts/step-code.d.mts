export function stepCode(read?: (path: string) => string): Record<string, string>;
export function stepCodeDefine(): { __STEP_CODE__: string };
