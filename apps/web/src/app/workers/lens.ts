import type { EncodingSettings } from '@estampe/contracts';
import type { Field } from '@estampe/core';
import { decodeValue, INSIDE, isInteger, maxCode, stepAt } from '@estampe/core';
import type { Lens } from './field-messages';

const BARS = 88;
const STEPS = 10;

/** The distribution around rest, ten steps wide, with the heights that can be stored there.
 *  @param lookedAt share of the texels that `fields` hold */
export function lookAtRest(fields: readonly Field[], e: EncodingSettings, lookedAt = 1): Lens {
  const step = stepAt(e, e.midpoint);
  const half = (STEPS / 2 + 0.5) * step;
  const counts = new Uint32Array(BARS);
  let inside = 0;
  for (const { values, coverage } of fields)
    for (let i = 0; i < values.length; i++) {
      if (coverage[i] !== INSIDE || Math.abs(values[i]) >= half) continue;
      counts[Math.floor(((values[i] + half) / (2 * half)) * BARS)]++;
      inside++;
    }
  return { step, half, counts, inside: Math.round(inside / lookedAt), isAbout: lookedAt < 1, codes: codesNear(e, half, step) };
}

function codesNear(e: EncodingSettings, half: number, step: number): number[] {
  const out: number[] = [];
  if (!isInteger(e.depth)) {
    for (let k = -STEPS / 2; k <= STEPS / 2; k++) out.push(k * step);
    return out;
  }
  const top = maxCode(e.depth);
  const middle = Math.round(e.midpoint * top);
  for (let q = Math.max(0, middle - STEPS); q <= Math.min(top, middle + STEPS); q++) {
    const d = decodeValue(e, q / top);
    if (Math.abs(d) <= half) out.push(d);
  }
  return out;
}
