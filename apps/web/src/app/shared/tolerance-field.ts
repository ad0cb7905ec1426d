import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import { significant } from './format';
import { ChoiceField } from './forms/choice-field';
import { NumberField } from './forms/number-field';
import { follow, formOf } from './forms/zod-form';
import { ShotFields } from './shot-fields';
import type { Shot, Tolerance } from './tolerance';
import { inUnit, pixelsPerUnit, proposedTolerance, toleranceLength, toleranceSchema } from './tolerance';

/** A tolerance as a length, as percent of the diagonal, or as pixels of a shot; it always says what that is as a length, and whether anybody chose
 *  it. */
@Component({
  selector: 'est-tolerance-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ChoiceField, MatButtonModule, MatExpansionModule, NumberField, ShotFields],
  template: `
    <div class="fields">
      <est-number-field label="Tolerance" empty="none" [control]="form.controls.value" />
      <est-choice-field label="Tolerance in" [control]="form.controls.unit" [options]="units()" />
    </div>
    @if (form.controls.unit.value === 'pixels') {
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Seen in {{ known().shot.name || 'a shot' }}</mat-panel-title>
        </mat-expansion-panel-header>
        <est-shot-fields [shot]="known().shot" [unit]="unit()" (edited)="setShot($event)" />
      </mat-expansion-panel>
    }
    @if (tolerance() === null) {
      <p class="meaning">
        Proposed: half a pixel, <span class="num">{{ meaning() }}</span>. Set your own above.
      </p>
    } @else if (known().value === null) {
      <p class="meaning">
        Without a tolerance there are figures and no verdict.
        <button matButton type="button" (click)="edited.emit(null)">Propose one</button>
      </p>
    } @else if (meaning() !== '') {
      <p class="meaning num">{{ meaning() }}</p>
    }
  `,
  styles: `
    .meaning {
      margin: 0 0 8px;
      color: var(--graphite);
    }
  `,
})
export class ToleranceField {
  /** Null while nobody has chosen: then one is proposed. */
  readonly tolerance = input.required<Tolerance | null>();
  readonly unit = input('');
  readonly diagonal = input.required<number>();
  readonly edited = output<Tolerance | null>();
  protected readonly form = formOf<Pick<Tolerance, 'value' | 'unit'>>(toleranceSchema, { value: null, unit: 'units' });
  protected readonly known = computed(() => this.tolerance() ?? proposedTolerance(this.diagonal()));
  protected readonly units = computed(() => [
    { value: 'units' as const, label: this.unit() || 'units' },
    { value: 'percent' as const, label: '% of diagonal' },
    { value: 'pixels' as const, label: 'pixels of a shot' },
  ]);
  protected readonly meaning = computed(() => {
    const t = this.known();
    const length = toleranceLength(t, this.diagonal());
    if (length === null || t.unit === 'units') return '';
    const scale = t.unit === 'pixels' ? `, at ${significant(pixelsPerUnit(t.shot), 3)} px/${this.unit()}` : '';
    return `= ${significant(length, 4)} ${this.unit()}${scale}`;
  });

  constructor() {
    // another unit says the same length in other words
    follow(this.form, this.known, ({ value, unit }) =>
      this.edited.emit(unit === undefined ? { ...this.known(), value: value ?? null } : inUnit(this.known(), unit, this.diagonal())),
    );
  }
  protected setShot(shot: Shot): void {
    this.edited.emit({ ...this.known(), shot });
  }
}
