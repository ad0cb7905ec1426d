import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { FormControl } from '@angular/forms';
import { ReactiveFormsModule } from '@angular/forms';
import { MatInputModule } from '@angular/material/input';
import { NumberInput } from './number-input';
import { REFUSED } from './zod-form';

/** A number with its label and unit; what is wrong with it stands below. */
@Component({
  selector: 'est-number-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatInputModule, NumberInput, ReactiveFormsModule],
  template: `
    <mat-form-field>
      <mat-label>{{ label() }}</mat-label>
      <input matInput estNumber [formControl]="control()" [placeholder]="empty()" [written]="written()" [words]="words()" />
      @if (unit() !== '') {
        <span matTextSuffix class="muted">{{ unit() }}</span>
      }
      @if (hint() !== '') {
        <mat-hint>{{ hint() }}</mat-hint>
      }
      <mat-error>{{ control().getError(refused) }}</mat-error>
    </mat-form-field>
  `,
  styles: `
    mat-form-field {
      width: 100%;
    }
  `,
})
export class NumberField {
  readonly control = input.required<FormControl<number> | FormControl<number | null>>();
  readonly label = input.required<string>();
  readonly unit = input('');
  /** What holds where nothing is typed. */
  readonly empty = input('');
  /** What it changes. */
  readonly hint = input('');
  readonly written = input<(x: number) => string>(String);
  readonly words = input<Readonly<Record<string, number>>>({});
  protected readonly refused = REFUSED;
}
