import { Directive, ElementRef, forwardRef, inject, input } from '@angular/core';
import type { AbstractControl, ControlValueAccessor, ValidationErrors, Validator } from '@angular/forms';
import { NG_VALIDATORS, NG_VALUE_ACCESSOR } from '@angular/forms';
import { parseNumber } from '../format';
import { REFUSED } from './zod-form';

/** A number typed as text: the comma of many keyboards counts as a point, a fraction is worked out, nothing at all is null. It is taken when the
 *  field is left or Enter is pressed; what is no number stays, with a sentence. */
@Directive({
  selector: 'input[estNumber]',
  providers: [
    { provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => NumberInput), multi: true },
    { provide: NG_VALIDATORS, useExisting: forwardRef(() => NumberInput), multi: true },
  ],
  host: {
    inputmode: 'decimal',
    autocomplete: 'off',
    spellcheck: 'false',
    class: 'num',
    '(input)': 'typing = true',
    '(change)': 'take()',
    '(blur)': 'leave()',
  },
})
export class NumberInput implements ControlValueAccessor, Validator {
  /** How a number is written. */
  readonly written = input<(x: number) => string>(String);
  /** Words that stand for a number. */
  readonly words = input<Readonly<Record<string, number>>>({});
  private readonly field = inject<ElementRef<HTMLInputElement>>(ElementRef).nativeElement;
  private refusal: string | null = null;
  private tell: (x: number | null) => void = () => undefined;
  private left: () => void = () => undefined;
  /** Something has been typed that is not taken yet. */
  protected typing = false;

  writeValue(x: number | null): void {
    // what is being typed is not written over: it is taken when the field is left
    if (this.typing) return;
    this.refusal = null;
    this.field.value = x === null ? '' : this.written()(x);
  }
  registerOnChange(tell: (x: number | null) => void): void {
    this.tell = tell;
  }
  registerOnTouched(left: () => void): void {
    this.left = left;
  }
  setDisabledState(disabled: boolean): void {
    this.field.disabled = disabled;
  }
  validate(_control: AbstractControl): ValidationErrors | null {
    return this.refusal === null ? null : { [REFUSED]: this.refusal };
  }

  protected leave(): void {
    if (this.typing) this.take();
    this.left();
  }
  protected take(): void {
    this.typing = false;
    const text = this.field.value.trim();
    const word = Object.hasOwn(this.words(), text) ? this.words()[text] : undefined;
    const x = word ?? parseNumber(text);
    this.refusal = text !== '' && x === null ? `\u201c${text}\u201d is not a number.` : null;
    this.tell(x);
  }
}
