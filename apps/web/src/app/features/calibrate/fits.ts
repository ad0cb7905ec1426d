import type { MapKind } from '@estampe/core';
import type { EncodingSettings } from '@estampe/contracts';
import { hasAxes, isInteger, MAP_KINDS, UNIT_FIT } from '@estampe/core';

export type Depth = EncodingSettings['depth'];

interface FitChoice {
  readonly fit: string;
  readonly name: string;
  readonly floatsOnly?: true;
  /** Vector maps: a range for each channel. */
  readonly each?: true;
}
/** Ranges that can be fitted, by the names that the command line knows them under. */
const FITS: readonly FitChoice[] = [
  { fit: 'symmetric', name: 'symmetric' },
  { fit: 'symmetric,rounded', name: 'symmetric, round' },
  { fit: 'full', name: 'full' },
  { fit: 'full,rounded', name: 'full, round' },
  { fit: 'clip:0.001', name: 'clip 0.1 %' },
  { fit: 'measured', name: 'as measured', floatsOnly: true },
];
/** Three ranges of one map. The mark before the colon is ours: a file keeps the numbers, not the name. */
const EACH: readonly FitChoice[] = [{ fit: 'each:full', name: 'full, each its own', each: true }];
const UNIT: readonly FitChoice[] = [{ fit: UNIT_FIT, name: '0 to 1' }];

export function fitsOf(kind: MapKind, depth: Depth): readonly FitChoice[] {
  const all = hasAxes(kind) ? [...FITS, ...EACH] : MAP_KINDS[kind].range === 'unit' ? [...UNIT, ...FITS] : FITS;
  return all.filter((f) => !f.floatsOnly || !isInteger(depth));
}

/** How the core fits a choice. */
export const fitWish = (fit: string): { fit: string; each: boolean } =>
  fit.startsWith('each:') ? { fit: fit.slice(5), each: true } : { fit, each: false };

export const DEPTH_NAMES: Readonly<Record<Depth, string>> = { 8: '8 bit', 16: '16 bit', half: 'half', float: 'float' };
