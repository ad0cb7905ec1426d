import type { RunControl } from '../runtime/progress';
import type { Kernel } from '../runtime/threads';

/** Deflate with a zlib header (RFC 1950), as the platform does it best. */
export interface Zlib {
  deflate(data: Uint8Array): Promise<Uint8Array>;
  /** @param sizeHint expected bytes; more than that is an error of the file */
  inflate(data: Uint8Array, sizeHint: number): Promise<Uint8Array>;
  /** Deflates what a kernel makes of 0..count-1, on the threads that make it; where the platform has such threads.
   *  @param shared in memory that all threads see, or it is copied for each of them @throws CancelledError */
  readonly deflateMade?:
    | (<Shared>(kernel: Kernel<Shared, number, Uint8Array>, shared: Shared, count: number, control?: RunControl) => Promise<Uint8Array[]>)
    | undefined;
}

/** How many blocks may be on their way through the port at once. */
export const BLOCKS_IN_FLIGHT = 16;

/** Runs `make` for 0..count-1, a few at a time, and gives the results in order.
 *  @param make also hears its lane, below BLOCKS_IN_FLIGHT: what runs in one lane never runs at the same time */
export async function mapInOrder<T>(count: number, make: (i: number, lane: number) => Promise<T>): Promise<T[]> {
  const out = new Array<T>(count);
  let next = 0;
  const runLane = async (_: unknown, lane: number): Promise<void> => {
    while (next < count) {
      const i = next++;
      try {
        out[i] = await make(i, lane);
      } catch (error) {
        next = count; // nobody waits for the rest
        throw error;
      }
    }
  };
  await Promise.all(Array.from({ length: Math.min(count, BLOCKS_IN_FLIGHT) }, runLane));
  return out;
}
