import type { ElementRef, OnDestroy } from '@angular/core';
import { afterNextRender, ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, viewChild } from '@angular/core';
import type { StudyInfo } from '@estampe/contracts';
import { Chart, LinearScale, LineController, LineElement, LogarithmicScale, PointElement } from 'chart.js';
import type { FigureRow } from '../shared/figures';
import { Figures } from '../shared/figures';
import { count, significant } from '../shared/format';
import { Room } from '../shared/room';
import { redrawWithFont, TICK } from './chart-font';

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale);

/** Error of the written map against render subdivisions, with the fewest that are as good as any; the same as a table beside it. */
@Component({
  selector: 'est-sweep-chart',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Figures],
  template: `
    <div class="head">
      <h2>Error over render subdivisions</h2>
      <span class="muted">{{ study() ? 'two-way distance, log scale; the ring marks the fewest that are as good as any' : '' }}</span>
    </div>
    @if (study(); as s) {
      <div class="both">
        <div class="box"><canvas #canvas aria-hidden="true"></canvas></div>
        <est-figures copyable [head]="['steps', 'faces', 'RMS (' + unit() + ')', '99 %', 'largest']" [rows]="rows()" />
      </div>
    } @else {
      <p class="empty">{{ empty() }}</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-rows: 26px 1fr;
      height: 100%;
      background: var(--leaf);
      border-top: 1px solid var(--ink);
    }
    .head {
      display: flex;
      align-items: baseline;
      gap: 12px;
      padding: 4px calc(16px + var(--fold, 0px)) 0 16px;
    }
    h2 {
      font-size: 15px;
    }
    .both {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 430px;
      gap: 20px;
      padding: 2px 16px 6px;
      min-height: 0;
    }
    .box {
      position: relative;
      min-height: 0;
    }
    est-figures {
      align-self: start;
      --mat-table-row-item-container-height: 22px;
    }
    .empty {
      align-self: center;
      text-align: center;
      margin: 0 20%;
      color: var(--graphite);
      font-size: 14px;
    }
  `,
})
export class SweepChart implements OnDestroy {
  readonly study = input<StudyInfo | null>(null);
  readonly unit = input('');
  readonly empty = input('');
  private readonly room = inject(Room);
  private readonly canvas = viewChild<ElementRef<HTMLCanvasElement>>('canvas');
  private chart: Chart<'line', { x: number; y: number }[]> | null = null;
  private readonly ready = signal(false);
  protected readonly rows = computed(() =>
    (this.study()?.sweep ?? []).map((p): FigureRow => {
      const enough = p.subdivisions === this.study()?.knee;
      // the last of a sweep may be the best only because nothing beyond it was looked at
      const word = p === this.study()?.sweep.at(-1) ? 'best' : 'enough';
      const lengths = [p.rms, p.p99, p.max].map((x) => significant(x, 3));
      return { name: `${p.subdivisions}${enough ? ` ${word}` : ''}`, now: enough, cells: [count(p.faces), ...lengths] };
    }),
  );

  constructor() {
    afterNextRender(() => this.ready.set(true));
    effect(() => {
      const canvas = this.canvas()?.nativeElement;
      const study = this.study();
      this.chart?.destroy();
      this.chart = null;
      if (!this.ready() || !canvas || !study) return;
      this.chart = this.draw(canvas, study);
      redrawWithFont(this.chart);
    });
  }

  ngOnDestroy(): void {
    this.chart?.destroy();
  }

  private draw(canvas: HTMLCanvasElement, { sweep, knee }: StudyInfo): Chart<'line', { x: number; y: number }[]> {
    const colour = (name: string): string => this.room.colour(name);
    const tick = { ...TICK, color: colour('--graphite') };
    const line = (label: string, of: (p: StudyInfo['sweep'][number]) => number, ink: string, dash: number[]) => ({
      label,
      // a logarithmic axis has no place for 0
      data: sweep.map((p) => ({ x: p.subdivisions, y: Math.max(of(p), 1e-9) })),
      borderColor: ink,
      backgroundColor: ink,
      borderDash: dash,
      borderWidth: 1.5,
      pointRadius: sweep.map((p) => (p.subdivisions === knee && dash.length === 0 ? 6 : 2.5)),
      pointBackgroundColor: sweep.map((p) => (p.subdivisions === knee && dash.length === 0 ? colour('--leaf') : ink)),
      pointBorderWidth: 2,
    });
    return new Chart<'line', { x: number; y: number }[]>(canvas, {
      type: 'line',
      data: {
        datasets: [line('RMS', (p) => p.rms, colour('--ink'), []), line('99 %', (p) => p.p99, colour('--prussian'), [5, 3])],
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        parsing: false,
        events: [],
        plugins: {
          legend: { position: 'right', labels: { color: colour('--ink'), boxWidth: 22, boxHeight: 1 } },
          tooltip: { enabled: false },
        },
        scales: {
          x: { type: 'linear', ticks: { ...tick, stepSize: 1 }, grid: { color: colour('--rule') } },
          y: {
            type: 'logarithmic',
            ticks: { ...tick, maxTicksLimit: 5, callback: (v) => significant(Number(v), 2) },
            grid: { color: colour('--rule') },
          },
        },
      },
    });
  }
}
