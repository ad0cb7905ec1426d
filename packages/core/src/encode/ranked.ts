import type { Field } from '../raster/field';
import { INSIDE } from '../raster/field';

const HALF_WORD = 1 << 16;

/** The values of class 1 that stand at some ranks, 0 for the smallest of all: what sorting them would give, without a copy of them. Values are
 *  counted by the upper halves of their bits, then those that share the upper half of a wanted one by the lower.
 *  @param ranks each below the number of values */
export function ranked(fields: readonly Field[], ranks: readonly number[]): number[] {
  const uppers = new Float64Array(HALF_WORD);
  eachOrder(fields, (order) => uppers[order >>> 16]++);
  const upperOf = ranks.map((rank) => placeOf(uppers, rank));
  const lowers = new Map(upperOf.map(({ at }) => [at, new Float64Array(HALF_WORD)]));
  const isWanted = new Uint8Array(HALF_WORD);
  for (const at of lowers.keys()) isWanted[at] = 1;
  eachOrder(fields, (order) => {
    const upper = order >>> 16;
    if (isWanted[upper] === 0) return;
    const counts = lowers.get(upper);
    if (counts !== undefined) counts[order & 0xffff]++;
  });
  return upperOf.map(({ at, before }, k) => valueOf(at * HALF_WORD + placeOf(lowers.get(at) ?? uppers, ranks[k] - before).at));
}

/** Where a rank falls among counts, and how many are counted before. */
function placeOf(counts: Float64Array, rank: number): { readonly at: number; readonly before: number } {
  let before = 0;
  for (let at = 0; at < counts.length; at++) {
    if (before + counts[at] > rank) return { at, before };
    before += counts[at];
  }
  throw new RangeError(`there is no rank ${rank} among ${before} values`);
}

const word = new Float32Array(1);
const bits = new Uint32Array(word.buffer);

/** Calls `take` with numbers that stand in the order of the values: bits of a float, those of negative ones turned round (Herf 2001). */
function eachOrder(fields: readonly Field[], take: (order: number) => void): void {
  for (const { values, coverage, channels } of fields) {
    const own = new Uint32Array(values.buffer, values.byteOffset, values.length);
    for (let t = 0; t < coverage.length; t++) {
      if (coverage[t] !== INSIDE) continue;
      for (let i = channels * t; i < channels * (t + 1); i++) {
        const b = own[i];
        take((b >>> 31 === 1 ? ~b : b | 0x80000000) >>> 0);
      }
    }
  }
}

function valueOf(order: number): number {
  bits[0] = order >>> 31 === 1 ? order & 0x7fffffff : ~order;
  return word[0];
}
