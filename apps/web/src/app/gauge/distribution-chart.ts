import type { EncodingSettings } from '@estampe/contracts';
import { isInteger, maxCode } from '@estampe/core';
import { BarController, BarElement, Chart, LinearScale, LogarithmicScale } from 'chart.js';
import { significant } from '../shared/format';
import { redrawWithFont, TICK } from './chart-font';
import type { Histogram } from '../workers/field-messages';

Chart.register(BarController, BarElement, LinearScale, LogarithmicScale);

/** Padding left and right of the plot, where Chart.js puts nothing. */
export const SIDE = 28;

export interface Distribution {
  /** Null for an empty plot. */
  readonly histogram: Histogram | null;
  /** Ends of the lower axis, in units. */
  readonly domain: readonly [number, number];
  readonly unit: string;
  /** Its codes stand on the upper axis; null for none. */
  readonly encoding: EncodingSettings | null;
  /** Values outside are drawn as clipped. */
  readonly kept: { readonly low: number; readonly high: number };
  /** CSS pixels. */
  readonly width: number;
  readonly colours: { readonly ink: string; readonly madder: string; readonly graphite: string; readonly rule: string };
}

/** The bars of the Gauge: units below, stored values of one encoding above, texels on a log scale. */
export class DistributionChart {
  private readonly chart: Chart<'bar', { x: number; y: number }[]>;

  constructor(canvas: HTMLCanvasElement) {
    this.chart = new Chart<'bar', { x: number; y: number }[]>(canvas, {
      type: 'bar',
      data: { datasets: [{ data: [], barPercentage: 1, categoryPercentage: 1, grouped: false }] },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        parsing: false,
        layout: { padding: { left: SIDE, right: SIDE, top: 0, bottom: 16 } },
        events: [],
        plugins: { legend: { display: false }, tooltip: { enabled: false } },
        scales: {
          x: { type: 'linear', position: 'bottom', offset: false, grid: { offset: false }, ticks: { ...TICK, maxTicksLimit: 10 } },
          codes: {
            type: 'linear',
            position: 'top',
            offset: false,
            grid: { display: false },
            ticks: { ...TICK, maxTicksLimit: 9, includeBounds: false },
          },
          y: { type: 'logarithmic', display: false, min: 0.7 },
        },
      },
    });
    redrawWithFont(this.chart);
  }

  draw({ histogram: h, domain, unit, encoding: e, kept, width, colours }: Distribution): void {
    const { scales } = this.chart.options;
    if (!scales) return;
    const [from, to] = domain;
    const step = h ? (h.to - h.from) / h.counts.length : 0;
    const centres = h ? Array.from(h.counts, (_, i) => h.from + (i + 0.5) * step) : [];
    const [set] = this.chart.data.datasets;
    set.data = centres.map((x, i) => ({ x, y: h?.counts[i] ?? 0 }));
    set.backgroundColor = centres.map((x) => (x < kept.low || x > kept.high ? colours.madder : colours.ink));
    set.barThickness = Math.max(1, (step / (to - from)) * (width - 2 * SIDE) - 0.5);
    Object.assign(scales['x'] ?? {}, { min: from, max: to });
    (scales['x'] as { ticks: object }).ticks = {
      ...TICK,
      color: colours.graphite,
      maxTicksLimit: 10,
      includeBounds: false,
      callback: (v: string | number) => `${significant(Number(v), 4)} ${unit}`,
    };
    const top = e && isInteger(e.depth) ? maxCode(e.depth) : 1;
    const code = (d: number): number => (e ? (d / e.scale + e.midpoint) * top : d);
    Object.assign(scales['codes'] ?? {}, { min: code(from), max: code(to), display: e?.each === null });
    // codes outside the depth's own do not exist
    const isCode = (c: number): boolean => e === null || !isInteger(e.depth) || (c >= 0 && c <= top && Number.isInteger(c));
    (scales['codes'] as { ticks: { callback: (v: string | number) => string } }).ticks.callback = (v) =>
      isCode(Number(v)) ? significant(Number(v), 6) : '';
    (scales['x'] as { grid: { color: string } }).grid.color = colours.rule;
    (scales['codes'] as { ticks: { color: string } }).ticks.color = colours.graphite;
    this.chart.update('none');
  }

  resize(): void {
    this.chart.resize();
  }
  dispose(): void {
    this.chart.destroy();
  }
}
