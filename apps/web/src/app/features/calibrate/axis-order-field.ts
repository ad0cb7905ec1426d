import { ChangeDetectionStrategy, Component, computed, effect, input, output } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatInputModule } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import type { AxisLetters, AxisOrder, AxisSource } from '@estampe/core';
import { allAxisOrders, formatAxes, isMirrored, parseAxes, PLAIN_ORDER } from '@estampe/core';
import { REFUSED } from '../../shared/forms/zod-form';

const CHANNELS = ['Red', 'Green', 'Blue'] as const;
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
  imports: [MatAutocompleteModule, MatInputModule, MatSelectModule, ReactiveFormsModule],
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
      <div class="channels">
        @for (row of rows(); track row.channel; let k = $index) {
          <mat-form-field>
            <mat-label>{{ row.channel }} holds</mat-label>
            <mat-select [value]="row.value" (valueChange)="choose(k, $event)">
              @for (option of options(); track option.value) {
                <mat-option [value]="option.value">{{ option.label }}</mat-option>
              }
            </mat-select>
          </mat-form-field>
        }
      </div>
    </div>
    <mat-form-field class="search">
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
    .channels {
      display: grid;
      gap: 6px;
    }
    .channels mat-form-field,
    .search {
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
  protected readonly options = computed(() =>
    Array.from(this.letters()).flatMap((letter) => [
      { value: `+${letter}`, label: `+${letter}, ${WORDS[letter]}` },
      { value: `-${letter}`, label: `\u2212${letter}, against it` },
    ]),
  );
  protected readonly rows = computed(() => this.order().map((source, k) => ({ channel: CHANNELS[k], value: this.textOf(source) })));
  protected readonly arrows = computed(() =>
    this.order().map(({ component, sign }, k) => {
      const way = WAYS[component];
      const at = (length: number) => ({ x: ORIGIN.x + length * way.x, y: ORIGIN.y + length * way.y });
      return { channel: CHANNELS[k][0], from: ORIGIN, to: at(sign), negative: at(-sign * 0.8), label: at(sign * 1.33) };
    }),
  );
  protected readonly spoken = computed(() => `Axis order ${this.current()}`);

  constructor() {
    effect(() => this.typed.setValue(this.current()));
  }

  /** A component that another channel has changes places with it. */
  protected choose(channel: number, value: string): void {
    const component = this.letters().indexOf(value[1]) as AxisSource['component'];
    const order = [...this.order()];
    const other = order.findIndex((s, k) => k !== channel && s.component === component);
    if (other >= 0) order[other] = { ...order[other], component: order[channel].component };
    order[channel] = { component, sign: value.startsWith('-') ? -1 : 1 };
    this.emit(order as unknown as AxisOrder);
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
  private textOf({ component, sign }: AxisSource): string {
    return `${sign < 0 ? '-' : '+'}${this.letters()[component]}`;
  }
}

const WORDS: Readonly<Record<string, string>> = { U: 'along U', V: 'along V', N: 'normal', X: 'along X', Y: 'along Y', Z: 'along Z' };
