import type { MapKind } from '@estampe/core';
import type { OnDestroy, ElementRef } from '@angular/core';
import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatInputModule } from '@angular/material/input';
import { MatTooltipModule } from '@angular/material/tooltip';
import type { EncodingSettings, FieldInfo } from '@estampe/contracts';
import { channelsOf, exactMidpoint, holdsDirections, isInteger } from '@estampe/core';
import type { FigureRow } from '../shared/figures';
import { Figures } from '../shared/figures';
import { significant } from '../shared/format';
import { NumberInput } from '../shared/forms/number-input';
import { follow, formOf, REFUSED } from '../shared/forms/zod-form';
import { FieldStore } from '../shared/field-store';
import { KIND_VALUES } from '../shared/kinds';
import { midpointText } from '../shared/midpoint';
import { Room } from '../shared/room';
import * as z from 'zod';
import type { Histogram, Lens } from '../workers/field-messages';
import { DistributionChart, SIDE } from './distribution-chart';
import { histogramRows, mergeHistograms, recordedHistogram } from './histograms';
import type { HandleName } from './range-handles';
import { moveHandle, rangeOf } from './range-handles';
import { RestLens } from './rest-lens';

/** Both ends and the midpoint, as they can be typed: height 0 always lies between the ends. */
const ENDS = { low: z.number().max(0), midpoint: z.number().min(0).max(1), high: z.number().min(0) };
const TYPED: readonly { readonly name: HandleName; readonly label: string }[] = [
  { name: 'low', label: 'low end' },
  { name: 'midpoint', label: 'midpoint' },
  { name: 'high', label: 'high end' },
];

/** Distribution of the measured heights with scene units below, stored values above, and handles for midpoint and both ends. */
@Component({
  selector: 'est-gauge',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Figures, MatButtonModule, MatInputModule, MatTooltipModule, NumberInput, ReactiveFormsModule, RestLens],
  template: `
    <div class="head">
      <h2>Gauge</h2>
      <span class="muted">texels, log scale</span>
      <span class="spacer"></span>
      <span class="num muted">{{ measured() }}</span>
      @if (ends() !== null) {
        @for (e of typed; track e.name) {
          <label class="typed"
            >{{ e.label }}
            <input
              matInput
              estNumber
              [formControl]="form.controls[e.name]"
              [written]="written[e.name]"
              [words]="words()"
              [matTooltip]="form.controls[e.name].getError(refused) ?? ''"
            />{{ e.name === 'midpoint' ? '' : unit() }}</label
          >
        }
      }
      <span class="num muted">{{ storedTitle() }}</span>
      <button matButton type="button" [attr.aria-expanded]="tabled()" (click)="tabled.set(!tabled())">
        {{ tabled() ? 'as a plot' : 'as a table' }}
      </button>
    </div>
    @if (tabled()) {
      <div class="rows" tabindex="0" role="group" aria-label="The distribution as a table">
        <est-figures copyable [head]="['from', 'to', 'texels', 'share']" [rows]="table()" />
      </div>
    }
    <div class="plots">
      <div #box class="box">
        <canvas #canvas aria-hidden="true" [class.blank]="!histogram()"></canvas>
        @for (h of handles(); track h.name) {
          <div
            class="handle"
            [class.mid]="h.name === 'midpoint'"
            role="slider"
            tabindex="0"
            [attr.aria-label]="h.label"
            [attr.aria-valuenow]="h.value"
            [attr.aria-valuetext]="h.text"
            [style.left.px]="h.x"
            (pointerdown)="grab(h.name, $event)"
            (pointermove)="drag($event)"
            (pointerup)="release()"
            (keydown)="key(h.name, $event)"
          >
            <span>{{ h.label }}</span>
          </div>
        }
        @if (!histogram()) {
          <p class="empty">
            {{ fields().length === 0 ? 'Once the span is extracted, how its values are spread shows here.' : 'Loading the field…' }}
          </p>
        }
      </div>
      @if (lens(); as l) {
        <est-rest-lens [lens]="l" [unit]="unit()" />
      }
    </div>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-rows: 26px 1fr;
      position: relative;
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
    .spacer {
      flex: 1;
    }
    .plots {
      display: grid;
      grid-template-columns: minmax(0, 1fr) auto;
      min-height: 0;
    }
    .typed {
      display: inline-flex;
      align-items: baseline;
      gap: 5px;
      color: var(--graphite);
    }
    .typed input {
      width: 88px;
      border: 0;
      border-bottom: 1px solid var(--graphite);
      background: transparent;
      padding: 0 2px;
      text-align: right;
    }
    .typed input.ng-invalid {
      border-color: var(--madder);
      color: var(--madder);
    }
    .box {
      position: relative;
      min-height: 0;
      touch-action: none;
    }
    canvas {
      position: absolute;
      inset: 0;
    }
    canvas.blank {
      visibility: hidden;
    }
    .handle {
      position: absolute;
      top: 22px;
      bottom: 2px;
      width: 18px;
      margin-left: -9px;
      cursor: ew-resize;
      touch-action: none;
    }
    .handle::before {
      content: '';
      position: absolute;
      left: 8px;
      top: 0;
      bottom: 36px;
      width: 2px;
      background: var(--graphite);
    }
    .handle::after {
      content: '';
      position: absolute;
      left: 2px;
      top: 0;
      border: 7px solid transparent;
      border-bottom: 0;
      border-top: 11px solid var(--graphite);
    }
    .handle.mid::before {
      background: var(--prussian);
    }
    .handle.mid::after {
      border-top-color: var(--prussian);
    }
    .handle span {
      position: absolute;
      bottom: 0;
      left: 9px;
      transform: translateX(-50%);
      white-space: nowrap;
      font-size: 11.5px;
      line-height: 14px;
      color: var(--graphite);
      background: var(--leaf);
      padding: 0 3px;
    }
    .handle.mid span {
      color: var(--prussian);
      font-weight: 600;
    }
    .empty {
      position: absolute;
      inset: 40% 0 auto;
      text-align: center;
      margin: 0;
      color: var(--graphite);
      font-size: 14px;
    }
    .rows {
      position: absolute;
      z-index: 2;
      right: 16px;
      top: 28px;
      bottom: 6px;
      width: 340px;
      overflow: auto;
      padding: 0 10px;
      background: var(--leaf);
      border: 1px solid var(--rule);
    }
  `,
})
export class Gauge implements OnDestroy {
  readonly fields = input.required<readonly FieldInfo[]>();
  readonly encoding = input<EncodingSettings | null>(null);
  readonly unit = input('');
  readonly kind = input<MapKind>('scalar');
  readonly changed = output<EncodingSettings>();

  private readonly store = inject(FieldStore);
  private readonly room = inject(Room);
  protected readonly lens = signal<Lens | null>(null);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly box = viewChild.required<ElementRef<HTMLElement>>('box');
  private chart: DistributionChart | null = null;
  private observer: ResizeObserver | null = null;
  private readonly width = signal(0);
  protected readonly histogram = signal<Histogram | null>(null);
  private grabbed: HandleName | null = null;
  /** The encoding under the hand; null when nothing is dragged. */
  private readonly draft = signal<EncodingSettings | null>(null);
  private readonly shown = computed(() => this.draft() ?? this.encoding());
  private readonly axes = computed(() => this.encoding()?.axes ?? '');
  /** Held still while a handle moves, or the axis would run away under the hand. */
  private readonly domain = signal<readonly [number, number]>([-1, 1]);

  protected readonly measured = computed(() => {
    const h = this.histogram();
    return h
      ? `measured ${significant(Math.min(...this.fields().map((f) => f.min ?? Infinity)), 4)} to ${significant(Math.max(...this.fields().map((f) => f.max ?? -Infinity)), 4)} ${this.unit()}`
      : '';
  });
  protected readonly storedTitle = computed(() => {
    const e = this.shown();
    if (!e) return '';
    return `stored value, ${e.depth}${isInteger(e.depth) ? ' bit' : ''}${e.each === null ? '' : ', a range for each channel'}`;
  });
  protected readonly handles = computed(() => {
    const e = this.shown();
    const [from, to] = this.domain();
    const width = this.width();
    if (!e || !this.histogram() || width === 0 || !this.ranged(e)) return [];
    const { low, high } = rangeOf(e);
    const x = (d: number): number => SIDE + ((d - from) / (to - from)) * (width - 2 * SIDE);
    const text = (d: number): string => `${significant(d, 4)} ${this.unit()}`;
    return [
      { name: 'low' as const, label: 'low end', value: low, text: text(low), x: x(low) },
      {
        name: 'midpoint' as const,
        label: 'midpoint',
        value: e.midpoint,
        text: `${significant(e.midpoint, 5)}, stored at ${KIND_VALUES[this.kind()]} 0`,
        x: x(0),
      },
      { name: 'high' as const, label: 'high end', value: high, text: text(high), x: x(high) },
    ];
  });
  /** The same three places as numbers that can be typed; null where the range cannot be moved. */
  protected readonly ends = computed(() => {
    const e = this.shown();
    return e && this.histogram() && this.ranged(e) ? { ...rangeOf(e), midpoint: e.midpoint } : null;
  });
  protected readonly typed = TYPED;
  protected readonly refused = REFUSED;
  protected readonly form = formOf<Record<HandleName, number>>({ shape: ENDS }, { low: -1, midpoint: 0.5, high: 1 });
  private readonly end = (x: number): string => significant(x, 5);
  protected readonly written: Readonly<Record<HandleName, (x: number) => string>> = {
    low: this.end,
    midpoint: (x) => midpointText(this.shown()?.depth ?? 'float', x),
    high: this.end,
  };
  protected readonly words = computed(() => ({ exact: exactMidpoint(this.shown()?.depth ?? 'float') }));
  protected readonly tabled = signal(false);
  protected readonly table = computed((): FigureRow[] => {
    const h = this.histogram();
    return h ? histogramRows(h).map(({ from, to, texels, share }) => ({ name: from, cells: [to, texels, share] })) : [];
  });

  constructor() {
    follow(this.form, this.ends, (change) => this.type(change));
    afterNextRender(() => {
      this.chart = new DistributionChart(this.canvas().nativeElement);
      this.observer = new ResizeObserver(() => {
        this.width.set(this.box().nativeElement.clientWidth);
        this.chart?.resize();
      });
      this.observer.observe(this.box().nativeElement);
      this.width.set(this.box().nativeElement.clientWidth);
    });
    let wanted = '';
    effect(() => {
      const ids = this.fields().map((f) => f.id);
      const axes = this.axes();
      wanted = `${axes} ${ids.join()}`;
      const mine = wanted;
      if (ids.length === 0) {
        this.histogram.set(null);
        return;
      }
      const asked = this.fields().map(async (f) => recordedHistogram(f, axes) ?? this.store.spread(f, axes));
      void Promise.all(asked).then((all) => {
        if (wanted === mine) this.histogram.set(mergeHistograms(all));
      });
    });
    let looked = 0;
    effect(() => {
      const fields = this.fields();
      const e = this.encoding();
      const mine = ++looked;
      // of a large field only once somebody has had it loaded: a look at it is not worth hundreds of megabytes
      const near = fields.every((f) => f.picturesHash === null || this.store.loadedIds().has(f.id));
      if (fields.length === 0 || e === null || channelsOf(this.kind()) === 3 || !near) {
        this.lens.set(null);
        return;
      }
      this.store.lens(fields, e).then(
        (lens) => {
          if (mine === looked) this.lens.set(lens);
        },
        () => {
          if (mine === looked) this.lens.set(null);
        },
      );
    });
    effect(() => {
      const h = this.histogram();
      const e = this.encoding();
      if (!h || this.draft() !== null) return;
      const range = e && this.ranged(e) ? rangeOf(e) : { low: h.from, high: h.to };
      const [lo, hi] = [Math.min(range.low, h.from), Math.max(range.high, h.to)];
      this.domain.set([lo - 0.04 * (hi - lo), hi + 0.04 * (hi - lo)]);
    });
    effect(() => {
      const encoding = this.shown();
      const kept = encoding && this.ranged(encoding) ? rangeOf(encoding) : { low: -Infinity, high: Infinity };
      const [ink, madder, graphite, rule] = ['--ink', '--madder', '--graphite', '--rule'].map((name) => this.room.colour(name));
      const colours = { ink, madder, graphite, rule };
      const view = { histogram: this.histogram(), domain: this.domain(), unit: this.unit(), encoding, kept, width: this.width(), colours };
      if (view.width > 0) this.chart?.draw(view);
    });
  }

  ngOnDestroy(): void {
    this.observer?.disconnect();
    this.chart?.dispose();
  }

  /** Whether an encoding has ends that can be moved: integers with one range, but for normals, which always run from -1 to 1. */
  private ranged(e: EncodingSettings): boolean {
    return isInteger(e.depth) && !holdsDirections(this.kind()) && e.each === null;
  }
  private type({ low, midpoint, high }: Partial<Record<HandleName, number>>): void {
    const e = this.encoding();
    if (!e) return;
    if (midpoint !== undefined) this.changed.emit({ ...e, midpoint, fit: 'by hand' });
    else if (low !== undefined) this.changed.emit(moveHandle(e, 'low', low));
    else if (high !== undefined) this.changed.emit(moveHandle(e, 'high', high));
  }
  private unitsAt(event: PointerEvent): number {
    const [from, to] = this.domain();
    const box = this.box().nativeElement.getBoundingClientRect();
    return from + ((event.clientX - box.left - SIDE) / (box.width - 2 * SIDE)) * (to - from);
  }
  protected grab(name: HandleName, event: PointerEvent): void {
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    this.grabbed = name;
  }
  protected drag(event: PointerEvent): void {
    const e = this.encoding();
    if (!this.grabbed || !e || event.buttons === 0) return;
    this.draft.set(moveHandle(e, this.grabbed, this.unitsAt(event)));
  }
  protected release(): void {
    const draft = this.draft();
    this.grabbed = null;
    this.draft.set(null);
    if (draft) this.changed.emit(draft);
  }
  protected key(name: HandleName, event: KeyboardEvent): void {
    const e = this.encoding();
    const direction = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!e || direction === undefined) return;
    event.preventDefault();
    const { low, high } = rangeOf(e);
    const [from, to] = this.domain();
    const place = name === 'low' ? low : name === 'high' ? high : 0;
    this.changed.emit(moveHandle(e, name, place + (direction * (to - from) * (event.shiftKey ? 10 : 1)) / 1000));
  }
}
