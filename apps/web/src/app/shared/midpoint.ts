import type { EncodingSettings } from '@estampe/contracts';
import { isInteger, maxCode } from '@estampe/core';
import { significant } from './format';

/** A midpoint as people type it: as the code that it is, `32768/65535`, where it is one. */
export function midpointText(depth: EncodingSettings['depth'], midpoint: number): string {
  if (!isInteger(depth)) return significant(midpoint, 6);
  const code = midpoint * maxCode(depth);
  return Math.abs(code - Math.round(code)) < 1e-6 ? `${Math.round(code)}/${maxCode(depth)}` : significant(midpoint, 7);
}
