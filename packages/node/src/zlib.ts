import { availableParallelism } from 'node:os';
import { promisify } from 'node:util';
import { constants, deflate, deflateSync, inflate } from 'node:zlib';
import pLimit from 'p-limit';
import type { Kernel, Zlib } from '@estampe/core';
import { InvalidInputError, stopOf } from '@estampe/core';
import type { ThreadPool } from './thread-pool';

const deflateAsync = promisify<Uint8Array, { level: number; chunkSize: number }, Buffer>(deflate);
const inflateAsync = promisify<Uint8Array, { maxOutputLength: number; finishFlush: number; chunkSize: number }, Buffer>(inflate);

/** Level 4: what OpenEXR itself uses; level 6 takes twice the time for 2 % on displacement. */
const LEVEL = 4;

/** Bytes that come at once: each piece costs a call, and a result in one piece keeps the whole piece. */
const pieceFor = (expected: number): number => Math.min(LARGEST_PIECE, Math.ceil(expected) + constants.Z_MIN_CHUNK);
const LARGEST_PIECE = 4 << 20;

/** As many pieces at once as Node has threads for, unless it is told how many threads may be used. */
let inTurn = pLimit(availableParallelism());

/** Packs and unpacks on at most so many of Node's threads from now on. */
export function packOn(threads: number): void {
  inTurn = pLimit(threads);
}

/** The core's deflate port on Node's own threads. */
export const nodeZlib: Zlib = {
  deflate: (data) => inTurn(() => deflateAsync(data, { level: LEVEL, chunkSize: pieceFor(data.length / 4) })),
  async inflate(data, sizeHint) {
    try {
      return await inTurn(() =>
        inflateAsync(data, {
          maxOutputLength: Math.max(1, sizeHint),
          finishFlush: constants.Z_SYNC_FLUSH,
          chunkSize: pieceFor(sizeHint),
        }),
      );
    } catch {
      throw new InvalidInputError('TRUNCATED', "the file's compressed data is damaged; write or copy it again.");
    }
  },
};

const DEFLATED = 'deflated ';

/** A kernel whose bytes are deflated on the thread that makes them. */
export const deflated = <Shared, Task>(kernel: Kernel<Shared, Task, Uint8Array>): Kernel<Shared, Task, Uint8Array> => ({
  name: DEFLATED + kernel.name,
  // a copy that fills its memory can be moved to the thread that asked
  run: (shared, task) => new Uint8Array(deflateSync(kernel.run(shared, task), { level: LEVEL })),
});

/** Of which kernel a name is the deflated one; null for a plain kernel's. */
export const deflatedOf = (name: string): string | null => (name.startsWith(DEFLATED) ? name.slice(DEFLATED.length) : null);

/** The same port where there is more than one thread: what is made piece by piece is deflated where it is made. */
export function zlibBy(threads: ThreadPool): Zlib {
  return {
    ...nodeZlib,
    async deflateMade(kernel, shared, count, control) {
      const out = new Array<Uint8Array>(count);
      let done = 0;
      await threads.run(
        deflated(kernel),
        shared,
        Array.from(out, (_, i) => i),
        (packed, i) => {
          out[i] = packed;
          control?.onProgress?.(++done / count, 'writing');
        },
        stopOf(control),
      );
      return out;
    },
  };
}
