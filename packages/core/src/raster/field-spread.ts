import type { Field } from './field';
import { INSIDE } from './field';

/** How the values of a field are spread: for each component the texels of class 1 in bars of equal width from `-most` to `most`. Symmetric, so that
 *  another sign of a component turns its bars round. */
export interface FieldSpread {
  readonly most: number;
  readonly counts: number[][];
}

/** Bars of a component; even, so that no bar lies across 0. */
export const SPREAD_BARS = 320;

export function fieldSpread({ values, coverage, channels }: Field): FieldSpread {
  let most = 0;
  for (let i = 0; i < coverage.length; i++)
    if (coverage[i] === INSIDE) for (let k = 0; k < channels; k++) most = Math.max(most, Math.abs(values[channels * i + k]));
  const counts = Array.from({ length: channels }, () => new Array<number>(SPREAD_BARS).fill(0));
  const scale = most === 0 ? 0 : SPREAD_BARS / (2 * most);
  for (let i = 0; i < coverage.length; i++) {
    if (coverage[i] !== INSIDE) continue;
    for (let k = 0; k < channels; k++)
      counts[k][Math.min(SPREAD_BARS - 1, Math.max(0, Math.floor((values[channels * i + k] + most) * scale)))]++;
  }
  return { most, counts };
}
