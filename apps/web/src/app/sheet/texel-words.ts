import type { EncodingSettings } from '@estampe/contracts';
import type { MapKind } from '@estampe/core';
import { hasAxes, holdsDirections, integerCode, isInteger, maxCode, parseAxes } from '@estampe/core';
import { count, significant } from '../shared/format';
import { KIND_VALUES } from '../shared/kinds';
import type { TexelRead } from '../workers/block-messages';

const CLASSES = ['outside', 'inside', 'padding', 'missed', 'doubtful', 'mended'];

/** A texel in words: its class, what was measured, and what the file holds of it. @param unit of the values @param e null while nobody has chosen one */
export function texelWords({ values, coverage }: TexelRead, kind: MapKind, unit: string, e: EncodingSettings | null): string {
  const digits = values.length === 1 ? 5 : 4;
  const measured = values.map((x) => (holdsDirections(kind) ? x.toFixed(4) : significant(x, digits))).join(' ');
  const stored = e === null ? '' : `  stored ${storedTexts(e, kind, values).join(' ')}`;
  return `${CLASSES[coverage]}  ${KIND_VALUES[kind]} ${measured}${unit === '' ? '' : ` ${unit}`}${stored}`;
}

/** What the file holds of a texel's values, channel by channel. */
function storedTexts(e: EncodingSettings, kind: MapKind, values: readonly number[]): string[] {
  if (holdsDirections(kind)) return values.map((x, k) => storedText(e, k === 1 && e.green === 'down' ? -x : x));
  if (!hasAxes(kind) || e.axes === '') return values.map((d, k) => storedText({ ...e, ...e.each?.[k] }, d));
  const letters = /[XYZ]/.test(e.axes) ? 'XYZ' : 'UVN';
  return parseAxes(e.axes, letters).map(({ component, sign }, k) => storedText({ ...e, ...e.each?.[k] }, sign * values[component]));
}

const storedText = (e: EncodingSettings, d: number): string =>
  isInteger(e.depth) ? count(Math.min(maxCode(e.depth), Math.max(0, integerCode(e, d)))) : significant(d / e.scale + e.midpoint, 6);
