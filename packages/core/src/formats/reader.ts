import type { Document } from '@gltf-transform/core';
import type { Finding } from '../problem.ts';
import type { InputFile } from './files.ts';

export interface ReaderOutput {
  document: Document;
  findings: Finding[];
  used: string[];
}

/** One open format. New formats join the list in `READERS`. */
export interface Reader {
  id: string;
  title: string;
  extensions: readonly string[];
  /** Whether this file is the main file of a character in this format, judged by content first. */
  accepts(file: InputFile): boolean;
  /** Files that this one brings in: those are no characters of their own. */
  leads?(file: InputFile): string[];
  /**
   * Reads `main`, finding what it refers to among `files`.
   * @param wanted which level of detail, where a model holds several
   * @throws ProblemError
   */
  read(main: InputFile, files: readonly InputFile[], wanted?: { level?: number }): Promise<ReaderOutput>;
}
