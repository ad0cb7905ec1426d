import { ChangeDetectionStrategy, Component, computed, effect, input, output } from '@angular/core';
import { takeUntilDestroyed, toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatInputModule } from '@angular/material/input';
import type { AxisLetters, AxisOrder } from '@estampe/core';
import { allAxisOrders, formatAxes, isMirrored, parseAxes, PLAIN_ORDER } from '@estampe/core';
import { REFUSED } from '../../shared/forms/zod-form';
import { ChannelOrder } from './channel-order';

const CHANNELS = ['R', 'G', 'B'] as const;
/** Where the picture draws the three components: the first to the right, the second away, the third up. */
const WAYS = [
  { x: 26, y: 7 },
  { x: 17, y: -14 },
  { x: 0, y: -30 },
] as const;
const ORIGIN = { x: 52, y: 46 } as const;

/** Which component of a vector goes into each channel and with which sign: one choice a channel, a picture of what that does, and all 48
 *  orders in a list that can be searched. */
@Component({
  selector: 'est-axis-order-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChannelOrder, MatAutocompleteModule, MatInputModule, ReactiveFormsModule],
  template: `
    <div class="order">
      <svg viewBox="0 0 104 76" width="104" height="76" role="img" [attr.aria-label]="spoken()">
        @for (a of arrows(); track a.channel) {
          <line class="axis" [attr.x1]="a.from.x" [attr.y1]="a.from.y" [attr.x2]="a.negative.x" [attr.y2]="a.negative.y" />
          <line class="arrow" [attr.x1]="a.from.x" [attr.y1]="a.from.y" [attr.x2]="a.to.x" [attr.y2]="a.to.y" />
          <circle class="head" [attr.cx]="a.to.x" [attr.cy]="a.to.y" r="2.6" />
          <text [attr.x]="a.label.x" [attr.y]="a.label.y">{{ a.channel }}</text>
        }
      </svg>
      <mat-form-field>
        <mat-label>Channels</mat-label>
        <est-channel-order [letters]="letters()" [formControl]="channels" />
      </mat-form-field>
    </div>
    <mat-form-field>
      <mat-label>Any of the 48</mat-label>
      <input matInput class="num" [formControl]="typed" [matAutocomplete]="orders" (change)="take()" />
      <mat-autocomplete #orders="matAutocomplete" panelWidth="" (optionSelected)="take()">
        @for (order of found(); track order) {
          <mat-option class="num" [value]="order">{{ order }}</mat-option>
        }
      </mat-autocomplete>
      <mat-error>{{ typed.getError(refused) }}</mat-error>
    </mat-form-field>
    @if (mirrored()) {
      <p class="muted hint">Red, green and blue are left-handed in this order: right only where the renderer expects exactly this.</p>
    }
  `,
  styles: `
    .order {
      display: grid;
      grid-template-columns: 104px minmax(0, 1fr);
      gap: 12px;
      align-items: center;
      padding: 6px 0;
    }
    mat-form-field {
      width: 100%;
    }
    .axis {
      stroke: var(--rule);
      stroke-dasharray: 2 2;
    }
    .arrow {
      stroke: var(--ink);
      stroke-width: 1.6;
    }
    .head {
      fill: var(--ink);
    }
    text {
      font: 600 11px var(--mono);
      fill: var(--prussian);
      text-anchor: middle;
      dominant-baseline: middle;
    }
    .hint {
      margin: 4px 0;
    }
  `,
})
export class AxisOrderField {
  /** Empty for the plain order. */
  readonly axes = input.required<string>();
  readonly letters = input.required<AxisLetters>();
  readonly chosen = output<string>();

  protected readonly refused = REFUSED;
  protected readonly typed = new FormControl('', { nonNullable: true });
  protected readonly channels = new FormControl('', { nonNullable: true });
  private readonly searched = toSignal(this.typed.valueChanges, { initialValue: '' });
  private readonly order = computed<AxisOrder>(() => (this.axes() === '' ? PLAIN_ORDER : parseAxes(this.axes(), this.letters())));
  protected readonly current = computed(() => formatAxes(this.order(), this.letters()));
  private readonly all = computed(() => allAxisOrders().map((o) => formatAxes(o, this.letters())));
  /** Those that hold every word that is typed; all while what stands there is a whole order. */
  protected readonly found = computed(() => {
    const words = this.searched().toUpperCase().split(/\s+/);
    return this.all().includes(this.searched()) ? this.all() : this.all().filter((order) => words.every((word) => order.includes(word)));
  });
  protected readonly mirrored = computed(() => isMirrored(this.order()));
  protected readonly arrows = computed(() =>
    this.order().map(({ component, sign }, k) => {
      const way = WAYS[component];
      const at = (length: number) => ({ x: ORIGIN.x + length * way.x, y: ORIGIN.y + length * way.y });
      return { channel: CHANNELS[k], from: ORIGIN, to: at(sign), negative: at(-sign * 0.8), label: at(sign * 1.33) };
    }),
  );
  protected readonly spoken = computed(() => `Axis order ${this.current()}`);

  constructor() {
    effect(() => {
      this.typed.setValue(this.current());
      this.channels.setValue(this.current(), { emitEvent: false });
    });
    this.channels.valueChanges.pipe(takeUntilDestroyed()).subscribe((text) => this.emit(parseAxes(text, this.letters())));
  }

  protected take(): void {
    try {
      this.emit(parseAxes(this.typed.value, this.letters()));
    } catch (error) {
      this.typed.setErrors({ [REFUSED]: error instanceof Error ? error.message : String(error) });
    }
  }
  private emit(order: AxisOrder): void {
    const text = formatAxes(order, this.letters());
    this.chosen.emit(text === formatAxes(PLAIN_ORDER, this.letters()) ? '' : text);
  }
}
