import { EstampeError } from '@estampe/core';

const GIB = 1024 ** 3;
const inGib = (bytes: number): string => `${(bytes / GIB).toFixed(1)} GiB`;

/** Refuses work that would not fit, before it starts: a program that runs out of memory says nothing.
 *  @param what the work, as a sentence's subject @param advice what would fit @throws EstampeError NO_MEMORY with both figures */
export function requireMemory(bytes: number, what: string, advice: string, available = process.availableMemory()): void {
  if (bytes > available)
    throw new EstampeError('NO_MEMORY', `${what} needs about ${inGib(bytes)} of memory and ${inGib(available)} are free; ${advice}.`);
}
