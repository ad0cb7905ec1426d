import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { parseNumber } from './format';
import type { Shot } from './tolerance';

type Measure = Exclude<keyof Shot, 'name'>;
const MEASURES: readonly { readonly key: Measure; readonly label: string; readonly unit: string }[] = [
  { key: 'imageWidth', label: 'Image width', unit: 'px' },
  { key: 'focalLength', label: 'Focal length', unit: 'mm' },
  { key: 'sensorWidth', label: 'Sensor width', unit: 'mm' },
  { key: 'distance', label: 'Nearest distance', unit: '' },
];

/** The shot that an asset is looked at in. */
@Component({
  selector: 'est-shot-fields',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="field-row">
      <label for="shot-name">Shot</label>
      <input id="shot-name" type="text" maxlength="60" [value]="shot().name" (change)="setName($event)" />
    </div>
    @for (f of measures; track f.key) {
      <div class="field-row">
        <label [attr.for]="'shot-' + f.key">{{ f.label }} ({{ f.unit || unit() }})</label>
        <input [id]="'shot-' + f.key" type="text" inputmode="decimal" [value]="shot()[f.key]" (change)="set(f.key, $event)" />
      </div>
    }
  `,
  styles: `
    .field-row {
      grid-template-columns: 150px 1fr;
      padding-left: 12px;
    }
    .field-row input {
      width: 96px;
    }
  `,
})
export class ShotFields {
  readonly shot = input.required<Shot>();
  /** Unit of lengths of the asset. */
  readonly unit = input('');
  readonly edited = output<Shot>();
  protected readonly measures = MEASURES;

  protected setName(event: Event): void {
    this.edited.emit({ ...this.shot(), name: (event.target as HTMLInputElement).value.trim() });
  }
  protected set(key: Measure, event: Event): void {
    const field = event.target as HTMLInputElement;
    const x = parseNumber(field.value);
    const ok = x !== null && x > 0;
    field.setAttribute('aria-invalid', String(!ok));
    if (ok) this.edited.emit({ ...this.shot(), [key]: x });
  }
}
