import { randomUUID } from 'node:crypto';
import { closeSync, openSync, readSync } from 'node:fs';
import { open, readFile, rename, rm, stat } from 'node:fs/promises';
import type { ByteSource } from '@estampe/core';
import { InvalidInputError } from '@estampe/core';
import { linkTarget } from './outputs';

/** Largest file that is read whole. */
export const MAX_FILE_BYTES = 4_000_000_000;

/** Bytes of a piece of a file that is read from front to back. */
const PIECE_BYTES = 4 * 1024 * 1024;

/** @throws InvalidInputError NOT_FOUND, TOO_LARGE, EMPTY_FILE naming the file */
export async function readInput(path: string): Promise<Uint8Array> {
  await sizeOf(path);
  return readFile(path).catch((error: unknown) => unreadable(path, error));
}

/** A file to be read from front to back, and closed.
 *  @throws InvalidInputError as `readInput`, and NOT_FOUND later when it can be read no further */
export async function openInput(path: string): Promise<ByteSource & { close(): void }> {
  const size = await sizeOf(path);
  const trying = <T>(what: () => T): T => {
    try {
      return what();
    } catch (error) {
      return unreadable(path, error);
    }
  };
  const file = trying(() => openSync(path, 'r'));
  const piece = new Uint8Array(Math.min(size, PIECE_BYTES));
  return {
    size,
    next() {
      const length = trying(() => readSync(file, piece));
      return piece.subarray(0, length);
    },
    close: () => closeSync(file),
  };
}

function refuse(path: string, what: string): never {
  throw new InvalidInputError('NOT_FOUND', `${path}: ${what}.`, { file: path });
}

const unreadable = (path: string, error: unknown): never => refuse(path, READING[codeOf(error)] ?? cannot('read', error));

async function sizeOf(path: string): Promise<number> {
  const info = await stat(path).catch((error: unknown) => unreadable(path, error));
  if (info.isDirectory()) refuse(path, 'this is a folder; name a file in it');
  if (!info.isFile()) refuse(path, 'this is not a regular file but a pipe, socket or device; write it to a file first');
  const { size } = info;
  if (size > MAX_FILE_BYTES)
    throw new InvalidInputError('TOO_LARGE', `${path}: the file has ${size} bytes; at most ${MAX_FILE_BYTES} are read.`, { file: path });
  if (size === 0) throw new InvalidInputError('EMPTY_FILE', `${path}: the file is empty; write it again.`, { file: path });
  return size;
}

/** Writes to what a name leads to. A regular file is written beside first, then renamed: there is never half a file under the name. A
 *  device or a pipe is written into, never replaced.
 *  @throws InvalidInputError NOT_FOUND when it cannot be written */
export async function writeOutput(path: string, bytes: Uint8Array): Promise<void> {
  try {
    const there = await stat(path).catch(() => null);
    if (there?.isDirectory()) throw new InvalidInputError('NOT_FOUND', `${path}: this is a folder; name a file in it.`, { file: path });
    // a file that a shell has opened for us under a device's name is not ours to replace either
    if ((there !== null && !there.isFile()) || path.startsWith('/dev/')) await writeInto(path, bytes);
    else await replaceFile(await linkTarget(path), bytes);
  } catch (error) {
    if (error instanceof InvalidInputError) throw error;
    throw new InvalidInputError('NOT_FOUND', `${path}: ${cannot('written', error)}`, { file: path });
  }
}

async function writeInto(path: string, bytes: Uint8Array): Promise<void> {
  const file = await open(path, 'a');
  try {
    await file.writeFile(bytes);
  } finally {
    await file.close();
  }
}

async function replaceFile(path: string, bytes: Uint8Array): Promise<void> {
  const part = `${path}.part-${randomUUID()}`;
  try {
    const file = await open(part, 'wx');
    try {
      await file.writeFile(bytes);
    } finally {
      await file.close();
    }
    await rename(part, path);
  } catch (error) {
    await rm(part, { force: true });
    throw error;
  }
}

const READING: Readonly<Record<string, string>> = {
  ENOENT: 'there is no such file; check the name',
  ENOTDIR: 'there is no such file; check the name',
  ELOOP: 'these links lead in a circle; name the file itself',
  EACCES: 'the file may not be read; change its permissions',
};

const codeOf = (error: unknown): string => (error as NodeJS.ErrnoException | null)?.code ?? '';

const cannot = (what: 'read' | 'written', error: unknown): string =>
  `it cannot be ${what} (${error instanceof Error ? error.message : String(error)}); check the folder${what === 'read' ? ' and its permissions' : ' and the space left.'}`;
