import { wholeCode } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';

/** Short for the program that this is: what two of the same stamp make is the same. */
export const programStamp = (): string => sha256(new TextEncoder().encode(wholeCode())).slice(0, 12);
