import { FocusMonitor } from '@angular/cdk/a11y';
import type { OnDestroy } from '@angular/core';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, signal } from '@angular/core';
import type { ControlValueAccessor } from '@angular/forms';
import { NgControl } from '@angular/forms';
import { MatFormFieldControl } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import type { AxisLetters, AxisOrder, AxisSource } from '@estampe/core';
import { formatAxes, parseAxes } from '@estampe/core';
import { Subject } from 'rxjs';

const CHANNELS = ['Red', 'Green', 'Blue'] as const;
const WORDS: Readonly<Record<string, string>> = { U: 'along U', V: 'along V', N: 'normal', X: 'along X', Y: 'along Y', Z: 'along Z' };
let made = 0;

/** An axis order as a form field's control: one choice a channel. Its value is the order as text, `R=+U G=+V B=+N`. */
@Component({
  selector: 'est-channel-order',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatSelectModule],
  providers: [{ provide: MatFormFieldControl, useExisting: ChannelOrder }],
  host: { role: 'group', '[id]': 'id', '[attr.aria-describedby]': 'described() || null', '(focusout)': 'left()' },
  template: `
    @for (row of rows(); track row.channel; let k = $index) {
      <span class="muted" aria-hidden="true">{{ row.channel }}</span>
      <mat-select [aria-label]="row.channel + ' holds'" [disabled]="off()" [value]="row.value" (valueChange)="choose(k, $event)">
        @for (option of options(); track option.value) {
          <mat-option [value]="option.value">{{ option.label }}</mat-option>
        }
      </mat-select>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: auto minmax(0, 1fr);
      gap: 2px 8px;
      align-items: center;
    }
  `,
})
export class ChannelOrder implements ControlValueAccessor, MatFormFieldControl<string>, OnDestroy {
  readonly letters = input.required<AxisLetters>();

  // what a form field asks of its control
  readonly stateChanges = new Subject<void>();
  readonly id = `est-channel-order-${made++}`;
  readonly controlType = 'est-channel-order';
  readonly placeholder = '';
  readonly required = false;
  readonly empty = false;
  readonly shouldLabelFloat = true;
  readonly ngControl = inject(NgControl, { optional: true, self: true });
  focused = false;

  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly focus = inject(FocusMonitor);
  private readonly text = signal('');
  protected readonly off = signal(false);
  protected readonly described = signal('');
  private readonly order = computed<AxisOrder>(() => parseAxes(this.text(), this.letters()));
  protected readonly options = computed(() =>
    Array.from(this.letters()).flatMap((letter) => [
      { value: `+${letter}`, label: `+${letter}, ${WORDS[letter]}` },
      { value: `-${letter}`, label: `\u2212${letter}, against it` },
    ]),
  );
  protected readonly rows = computed(() =>
    this.text() === ''
      ? []
      : this.order().map(({ component, sign }, k) => ({
          channel: CHANNELS[k],
          value: `${sign < 0 ? '-' : '+'}${this.letters()[component]}`,
        })),
  );
  private tell: (order: string) => void = () => undefined;
  protected left: () => void = () => undefined;

  constructor() {
    if (this.ngControl) this.ngControl.valueAccessor = this;
    this.focus.monitor(this.host, true).subscribe((origin) => {
      this.focused = origin !== null;
      this.stateChanges.next();
    });
  }
  ngOnDestroy(): void {
    this.focus.stopMonitoring(this.host);
    this.stateChanges.complete();
  }

  get value(): string {
    return this.text();
  }
  get disabled(): boolean {
    return this.off();
  }
  get errorState(): boolean {
    return this.ngControl?.invalid === true && this.ngControl.touched === true;
  }
  setDescribedByIds(ids: string[]): void {
    this.described.set(ids.join(' '));
  }
  onContainerClick(): void {
    // each choice is pressed by itself
  }

  writeValue(order: string): void {
    this.text.set(order);
    this.stateChanges.next();
  }
  registerOnChange(tell: (order: string) => void): void {
    this.tell = tell;
  }
  registerOnTouched(left: () => void): void {
    this.left = left;
  }
  setDisabledState(disabled: boolean): void {
    this.off.set(disabled);
    this.stateChanges.next();
  }

  /** A component that another channel has changes places with it. */
  protected choose(channel: number, value: string): void {
    const component = this.letters().indexOf(value[1]) as AxisSource['component'];
    const order = [...this.order()];
    const other = order.findIndex((s, k) => k !== channel && s.component === component);
    if (other >= 0) order[other] = { ...order[other], component: order[channel].component };
    order[channel] = { component, sign: value.startsWith('-') ? -1 : 1 };
    this.text.set(formatAxes(order as unknown as AxisOrder, this.letters()));
    this.tell(this.text());
    this.stateChanges.next();
  }
}
