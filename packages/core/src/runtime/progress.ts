import { CancelledError } from './errors';

/** How long work is watched and stopped. `aborted` may be a getter over shared memory: a busy thread hears no message. */
export interface RunControl {
  readonly signal?: { readonly aborted: boolean };
  /** @param fraction 0..1, never falls; `stage` is a short plain word for the screen. */
  readonly onProgress?: (fraction: number, stage: string) => void;
}

/** @throws CancelledError when the signal is set. */
export function throwIfAborted(control: RunControl | undefined): void {
  if (control?.signal?.aborted === true) throw new CancelledError();
}

/** What stops work whose progress the caller tells. */
export const stopOf = ({ signal }: RunControl = {}): RunControl => (signal === undefined ? {} : { signal });

/** A control whose 0..1 becomes `from`..`to` of the parent's. */
export function subProgress(control: RunControl | undefined, from: number, to: number): RunControl {
  if (control === undefined) return {};
  const { onProgress } = control;
  return {
    ...stopOf(control),
    ...(onProgress === undefined ? {} : { onProgress: (f: number, stage: string) => onProgress(from + (to - from) * f, stage) }),
  };
}
