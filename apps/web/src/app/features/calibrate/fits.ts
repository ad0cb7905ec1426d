import type { EncodingSettings, MapKind } from '@estampe/contracts';
import { exactMidpoint, isInteger, NORMAL_RANGE } from '@estampe/core';

export type Depth = EncodingSettings['depth'];

/** Ranges that can be fitted to heights, by the names that the command line knows them under. */
export const FITS: readonly { readonly fit: string; readonly name: string; readonly floatsOnly?: true }[] = [
  { fit: 'symmetric', name: 'symmetric' },
  { fit: 'symmetric,rounded', name: 'symmetric, round' },
  { fit: 'full', name: 'full' },
  { fit: 'full,rounded', name: 'full, round' },
  { fit: 'clip:0.001', name: 'clip 0.1 %' },
  { fit: 'measured', name: 'as measured', floatsOnly: true },
];
export const fitsOf = (depth: Depth): typeof FITS => FITS.filter((f) => !f.floatsOnly || !isInteger(depth));

export const DEPTH_NAMES: Readonly<Record<Depth, string>> = { 8: '8 bit', 16: '16 bit', half: 'half', float: 'float' };

/** Range of a normal map: -1 to 1, with a midpoint that is a code where one is wanted. */
export const normalRange = (depth: Depth, exact: boolean): { midpoint: number; scale: number } => ({
  midpoint: exact ? exactMidpoint(depth) : NORMAL_RANGE.midpoint,
  // the exact midpoint lies a little above one half, so the range must be a little wider to hold 1
  scale: exact && isInteger(depth) ? 1 / (1 - exactMidpoint(depth)) : NORMAL_RANGE.scale,
});

/** What a span starts with before anybody has chosen. */
export const firstFit = (kind: MapKind): string => (kind === 'normal' ? 'minus one to one' : 'symmetric');
