/** Deflate with a zlib header (RFC 1950), as the platform does it best. */
export interface Zlib {
  deflate(data: Uint8Array): Promise<Uint8Array>;
  /** @param sizeHint expected bytes; more than that is an error of the file */
  inflate(data: Uint8Array, sizeHint: number): Promise<Uint8Array>;
}

/** How many blocks may be on their way through the port at once. */
export const BLOCKS_IN_FLIGHT = 16;

/** Runs `make` for 0..count-1, a few at a time, and gives the results in order. */
export async function mapInOrder<T>(count: number, make: (i: number) => Promise<T>): Promise<T[]> {
  const out = new Array<T>(count);
  let next = 0;
  const lane = async (): Promise<void> => {
    while (next < count) {
      const i = next++;
      try {
        out[i] = await make(i);
      } catch (error) {
        next = count; // nobody waits for the rest
        throw error;
      }
    }
  };
  await Promise.all(Array.from({ length: Math.min(count, BLOCKS_IN_FLIGHT) }, lane));
  return out;
}
