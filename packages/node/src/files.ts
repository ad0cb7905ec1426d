import { open, readFile, rename, rm, stat } from 'node:fs/promises';
import { InvalidInputError } from '@estampe/core';

/** Largest file that is read whole. */
export const MAX_FILE_BYTES = 4_000_000_000;

/** @throws InvalidInputError NOT_FOUND, TOO_LARGE, EMPTY_FILE naming the file */
export async function readInput(path: string): Promise<Uint8Array> {
  let size: number;
  try {
    const info = await stat(path);
    if (!info.isFile()) throw new Error('not a file');
    size = info.size;
  } catch {
    throw new InvalidInputError('NOT_FOUND', `${path}: there is no such file; check the name.`, { file: path });
  }
  if (size > MAX_FILE_BYTES)
    throw new InvalidInputError('TOO_LARGE', `${path}: the file has ${size} bytes; at most ${MAX_FILE_BYTES} are read.`, { file: path });
  if (size === 0) throw new InvalidInputError('EMPTY_FILE', `${path}: the file is empty; write it again.`, { file: path });
  try {
    return await readFile(path);
  } catch (error) {
    throw new InvalidInputError(
      'NOT_FOUND',
      `${path}: the file cannot be read (${error instanceof Error ? error.message : String(error)}); check its permissions.`,
      { file: path },
    );
  }
}

/** Writes beside the target first, then renames: there is never half a file under the name.
 *  @throws InvalidInputError NOT_FOUND when the folder cannot be written to */
export async function writeOutput(path: string, bytes: Uint8Array): Promise<void> {
  const part = `${path}.part-${process.pid}`;
  try {
    const file = await open(part, 'w');
    try {
      await file.writeFile(bytes);
    } finally {
      await file.close();
    }
    await rename(part, path);
  } catch (error) {
    await rm(part, { force: true });
    throw new InvalidInputError(
      'NOT_FOUND',
      `${path}: cannot be written (${error instanceof Error ? error.message : String(error)}); check the folder and the space left.`,
      { file: path },
    );
  }
}
