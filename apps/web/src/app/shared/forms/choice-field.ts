import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import type { FormControl } from '@angular/forms';
import { ReactiveFormsModule } from '@angular/forms';
import { MatSelectModule } from '@angular/material/select';
import { REFUSED } from './zod-form';

export interface Choice<T> {
  readonly value: T;
  readonly label: string;
}
/** The values of a setting with their words, in the order they are written. */
export const choicesOf = <T extends string>(words: Readonly<Record<T, string>>): readonly Choice<T>[] =>
  (Object.keys(words) as T[]).map((value) => ({ value, label: words[value] }));

/** One of several, with its label. */
@Component({
  selector: 'est-choice-field',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatSelectModule, ReactiveFormsModule],
  template: `
    <mat-form-field>
      <mat-label>{{ label() }}</mat-label>
      <mat-select [formControl]="control()" [placeholder]="empty()">
        @for (option of options(); track option.value) {
          <mat-option [value]="option.value">{{ option.label }}</mat-option>
        }
      </mat-select>
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
export class ChoiceField<T> {
  readonly control = input.required<FormControl<T>>();
  readonly options = input.required<readonly Choice<T>[]>();
  readonly label = input.required<string>();
  /** What stands there while nothing is chosen. */
  readonly empty = input('');
  /** What it changes. */
  readonly hint = input('');
  protected readonly refused = REFUSED;
}
