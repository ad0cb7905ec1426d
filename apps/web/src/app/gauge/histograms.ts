import type { FieldInfo } from '@estampe/contracts';
import { parseAxes, PLAIN_ORDER } from '@estampe/core';
import { count, percent, significant } from '../shared/format';
import type { Histogram } from '../workers/field-messages';

/** What the record of a field says of its values, all components together, in the order and with the signs that they are stored in. Null in fields that
 *  do not say. */
export function recordedHistogram({ spread, min, max }: FieldInfo, axes: string): Histogram | null {
  if (spread === null) return null;
  const { most, counts } = spread;
  const order = axes === '' ? PLAIN_ORDER : parseAxes(axes, /[XYZ]/.test(axes) ? 'XYZ' : 'UVN');
  const n = counts[0].length;
  const sums = new Uint32Array(n);
  counts.forEach((bars, component) => {
    const turned = counts.length === 3 && order.some((s) => s.component === component && s.sign < 0);
    bars.forEach((texels, i) => (sums[turned ? n - 1 - i : i] += texels));
  });
  // only the bars that hold something, and 0
  const plain = axes === '' || counts.length === 1;
  const at = (x: number): number => Math.floor(((x + most) / (2 * most)) * n);
  const [first, last] = plain && most > 0 ? [at(Math.min(0, min ?? 0)), Math.min(n, at(Math.max(0, max ?? 0)) + 1)] : [0, n];
  const x = (bar: number): number => (most === 0 ? bar / n - 0.5 : (2 * most * bar) / n - most);
  return { from: x(first), to: x(last), counts: sums.slice(first, last), total: sums.reduce((a, b) => a + b, 0) };
}

/** Histograms of several tiles over their common range; every texel is counted once. */
export function mergeHistograms(all: readonly Histogram[]): Histogram {
  if (all.length === 1) return all[0];
  const from = Math.min(...all.map((h) => h.from));
  const to = Math.max(...all.map((h) => h.to));
  const counts = new Uint32Array(Math.max(...all.map((h) => h.counts.length)));
  for (const h of all)
    h.counts.forEach((n, i) => {
      const x = h.from + ((i + 0.5) * (h.to - h.from)) / h.counts.length;
      const at = to > from ? Math.floor(((x - from) / (to - from)) * counts.length) : 0;
      counts[Math.min(counts.length - 1, at)] += n;
    });
  return { from, to, counts, total: all.reduce((n, h) => n + h.total, 0) };
}

export interface HistogramRow {
  readonly from: string;
  readonly to: string;
  readonly texels: string;
  readonly share: string;
}

/** The table twin of a histogram, in equal steps over its range. */
export function histogramRows(h: Histogram, rows = 12): HistogramRow[] {
  const group = h.counts.length / rows;
  const width = (h.to - h.from) / rows;
  return Array.from({ length: rows }, (_, k) => {
    const texels = h.counts.slice(Math.round(k * group), Math.round((k + 1) * group)).reduce((s, c) => s + c, 0);
    return {
      from: significant(h.from + k * width, 3),
      to: significant(h.from + (k + 1) * width, 3),
      texels: count(texels),
      share: percent(texels / Math.max(1, h.total)),
    };
  });
}
