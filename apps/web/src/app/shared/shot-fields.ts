import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatInputModule } from '@angular/material/input';
import { NumberField } from './forms/number-field';
import { follow, formOf, REFUSED } from './forms/zod-form';
import type { Shot } from './tolerance';
import { proposedShot, shotSchema } from './tolerance';

/** The shot that an asset is looked at in. */
@Component({
  selector: 'est-shot-fields',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatInputModule, NumberField, ReactiveFormsModule],
  template: `
    <div class="fields">
      <mat-form-field class="wide">
        <mat-label>Shot</mat-label>
        <input matInput maxlength="60" [formControl]="form.controls.name" />
        <mat-error>{{ form.controls.name.getError(refused) }}</mat-error>
      </mat-form-field>
      <est-number-field label="Image width" unit="px" [control]="form.controls.imageWidth" />
      <est-number-field label="Nearest distance" [unit]="unit()" [control]="form.controls.distance" />
      <est-number-field label="Focal length" unit="mm" [control]="form.controls.focalLength" />
      <est-number-field label="Sensor width" unit="mm" [control]="form.controls.sensorWidth" />
    </div>
  `,
})
export class ShotFields {
  readonly shot = input.required<Shot>();
  /** Unit of lengths of the asset. */
  readonly unit = input('');
  readonly edited = output<Shot>();
  protected readonly form = formOf(shotSchema, proposedShot(1), ['name']);
  protected readonly refused = REFUSED;

  constructor() {
    follow(this.form, this.shot, (change) => this.edited.emit({ ...this.shot(), ...change }));
  }
}
