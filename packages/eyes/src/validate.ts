import { validateBytes } from 'gltf-validator';
import type { DeliveredFile } from './raw.ts';

/** What the format's validator says, one row a code. */
export interface ValidatorNote {
  code: string;
  count: number;
  message: string;
  /** Where it was found first. */
  pointer: string;
}
export interface Validation {
  errors: ValidatorNote[];
  warnings: ValidatorNote[];
  unused: ValidatorNote[];
}

/** More notes than anybody reads; the count of errors is whole all the same. */
const MOST_NOTES = 20_000;

/** The format's own validator (Khronos), over the delivered bytes and the files beside them. */
export async function validate(model: DeliveredFile, files: readonly DeliveredFile[]): Promise<Validation> {
  const groups: Validation = { errors: [], warnings: [], unused: [] };
  let issues: Awaited<ReturnType<typeof validateBytes>>['issues'];
  try {
    ({ issues } = await validateBytes(model.bytes, {
      maxIssues: MOST_NOTES,
      externalResourceFunction: async (uri: string) => {
        const found = files.find((file) => file.path === decodeURIComponent(uri));
        if (!found) throw new Error(`“${uri}” is missing`);
        return found.bytes;
      },
    }));
  } catch (error) {
    // What isn't glTF at all it throws out as a text.
    return {
      ...groups,
      errors: [
        { code: 'NOT_GLTF', count: 1, message: error instanceof Error ? error.message : String(error), pointer: '' },
      ],
    };
  }
  for (const note of issues.messages) {
    const rows =
      note.severity === 0
        ? groups.errors
        : note.severity === 1
          ? groups.warnings
          : note.code.startsWith('UNUSED_')
            ? groups.unused
            : null;
    if (!rows) continue;
    // What a place is for is part of what an unused thing is.
    const code = note.code === 'UNUSED_OBJECT' ? `${note.code} ${kindOf(note.pointer ?? '')}` : note.code;
    const row = rows.find((entry) => entry.code === code);
    if (row) row.count++;
    else rows.push({ code, count: 1, message: note.message, pointer: note.pointer ?? '' });
  }
  return groups;
}

/** `/meshes/0/primitives/2/attributes/TEXCOORD_1` → `TEXCOORD`, `/accessors/4` → `accessors` */
function kindOf(pointer: string): string {
  const parts = pointer.split('/').filter((part) => part && !/^\d+$/.test(part));
  return (parts.at(-1) ?? 'thing').replace(/_\d+$/, '');
}
