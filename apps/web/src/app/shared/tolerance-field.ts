import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { parseNumber, significant } from './format';
import { ShotFields } from './shot-fields';
import type { Shot, Tolerance } from './tolerance';
import { pixelsPerUnit, toleranceLength } from './tolerance';

/** A tolerance as a length, as percent of the diagonal, or as pixels of a shot; it always says what that is as a length. */
@Component({
  selector: 'est-tolerance-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ShotFields],
  template: `
    <div class="field-row">
      <label for="tolerance">Tolerance</label>
      <span class="pair">
        <input
          id="tolerance"
          type="text"
          inputmode="decimal"
          placeholder="none"
          [value]="tolerance().value ?? ''"
          (change)="setValue(text($event), $event)"
        />
        <select aria-label="Tolerance in" (change)="setUnit(text($event))">
          <option value="units" [selected]="tolerance().unit === 'units'">{{ unit() }}</option>
          <option value="percent" [selected]="tolerance().unit === 'percent'">% of diagonal</option>
          <option value="pixels" [selected]="tolerance().unit === 'pixels'">px of a shot</option>
        </select>
      </span>
    </div>
    @if (tolerance().unit === 'pixels') {
      <est-shot-fields [shot]="tolerance().shot" [unit]="unit()" (edited)="setShot($event)" />
    }
    @if (meaning(); as m) {
      <p class="meaning num">{{ m }}</p>
    }
  `,
  styles: `
    .pair {
      display: flex;
      gap: 4px;
    }
    .field-row .pair input {
      width: 60px;
    }
    .pair select {
      width: 106px;
    }
    .meaning {
      margin: 4px 0 0;
      text-align: right;
      color: var(--graphite);
    }
  `,
})
export class ToleranceField {
  readonly tolerance = input.required<Tolerance>();
  readonly unit = input('');
  readonly diagonal = input.required<number>();
  readonly edited = output<Tolerance>();
  protected readonly meaning = computed(() => {
    const t = this.tolerance();
    const length = toleranceLength(t, this.diagonal());
    if (length === null || t.unit === 'units') return null;
    const scale = t.unit === 'pixels' ? `, at ${significant(pixelsPerUnit(t.shot), 3)} px/${this.unit()}` : '';
    return `= ${significant(length, 4)} ${this.unit()}${scale}`;
  });

  protected text(event: Event): string {
    return (event.target as HTMLInputElement | HTMLSelectElement).value;
  }
  protected setValue(text: string, event: Event): void {
    const value = text.trim() === '' ? null : parseNumber(text);
    if (accepted(event, text.trim() === '' || (value !== null && value > 0))) this.edited.emit({ ...this.tolerance(), value });
  }
  protected setUnit(unit: string): void {
    this.edited.emit({ ...this.tolerance(), unit: unit === 'percent' || unit === 'pixels' ? unit : 'units' });
  }
  protected setShot(shot: Shot): void {
    this.edited.emit({ ...this.tolerance(), shot });
  }
}

function accepted(event: Event, ok: boolean): boolean {
  (event.target as HTMLElement).setAttribute('aria-invalid', String(!ok));
  return ok;
}
