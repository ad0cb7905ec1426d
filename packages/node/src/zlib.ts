import { availableParallelism } from 'node:os';
import { promisify } from 'node:util';
import { constants, deflate, inflate } from 'node:zlib';
import pLimit from 'p-limit';
import type { Zlib } from '@estampe/core';
import { InvalidInputError } from '@estampe/core';

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
