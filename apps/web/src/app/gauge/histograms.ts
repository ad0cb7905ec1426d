import { count, percent, significant } from '../shared/format';
import type { Histogram } from '../workers/field-messages';

/** Histograms of several tiles over their common range; every texel is counted once. */
export function mergeHistograms(all: readonly Histogram[]): Histogram {
  if (all.length === 1) return all[0];
  const from = Math.min(...all.map((h) => h.from));
  const to = Math.max(...all.map((h) => h.to));
  const counts = new Uint32Array(all[0].counts.length);
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
