import { constants, setPriority } from 'node:os';

/** Lets this thread, and threads that it starts, stand back where others want the processor: work of minutes beside answers that somebody waits for.
 *  Only Linux has priorities of threads; elsewhere nothing is changed. */
export function standBack(): void {
  if (process.platform !== 'linux') return;
  try {
    setPriority(constants.priority.PRIORITY_BELOW_NORMAL);
  } catch {
    // a host that forbids it is as good as one that has no priorities
  }
}
