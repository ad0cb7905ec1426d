import { effect } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { ValidationErrors, ValidatorFn } from '@angular/forms';
import { FormControl, FormGroup } from '@angular/forms';
import type * as z from 'zod';

/** A form with one control for each of some settings. */
export type FormOf<T> = FormGroup<{ [K in keyof T]: FormControl<T[K]> }>;

/** The key that a schema's refusal stands under among a control's errors: a sentence. */
export const REFUSED = 'refused';

/** What is wrong, in words that can stand under a field. */
function sentenceOf(issue: z.core.$ZodIssue): string {
  switch (issue.code) {
    case 'too_small':
      return issue.origin === 'string'
        ? 'Write at least one letter.'
        : `${issue.inclusive === false ? 'More than' : 'At least'} ${issue.minimum}.`;
    case 'too_big':
      return issue.origin === 'string'
        ? `At most ${issue.maximum} letters.`
        : `${issue.inclusive === false ? 'Less than' : 'At most'} ${issue.maximum}.`;
    case 'invalid_type':
      return issue.expected === 'int' ? 'A whole number.' : issue.expected === 'number' ? 'A number is wanted here.' : `${issue.message}.`;
    case 'invalid_union':
      return issue.errors.length > 0 ? sentenceOf(issue.errors[issue.errors.length - 1][0]) : issue.message;
    default:
      return `${issue.message[0].toUpperCase()}${issue.message.slice(1)}.`;
  }
}

/** A schema of the contract as a validator of a control. */
const held =
  (schema: z.ZodType): ValidatorFn =>
  ({ value }): ValidationErrors | null => {
    const parsed = schema.safeParse(value);
    return parsed.success ? null : { [REFUSED]: sentenceOf(parsed.error.issues[0]) };
  };

/** One control, held to a schema. */
export const controlOf = <T>(schema: z.ZodType<T>, initial: T): FormControl<T> =>
  new FormControl(initial, { nonNullable: true, validators: held(schema) });

/** A control for each key of `initial`, held to the schema of the same key.
 *  @param late those that are taken when their field is left, not letter by letter */
export function formOf<T extends object>(
  { shape }: { readonly shape: { readonly [K in keyof T]: z.ZodType } },
  initial: T,
  late: readonly (keyof T & string)[] = [],
): FormOf<T> {
  const keys = Object.keys(initial) as (keyof T & string)[];
  return new FormGroup(
    Object.fromEntries(
      keys.map((key) => {
        const updateOn = late.includes(key) ? 'blur' : 'change';
        return [key, new FormControl(initial[key], { nonNullable: true, validators: held(shape[key]), updateOn })];
      }),
    ),
  ) as unknown as FormOf<T>;
}

/** Keeps a form at what is known, and tells each setting that somebody changes to something that can be taken. What was typed and refused stays
 *  until its setting changes elsewhere. Called where a component is made.
 *  @param known read as a signal; null leaves the form as it is */
export function follow<T extends object>(form: FormOf<T>, known: () => T | null, changed: (change: Partial<T>) => void): void {
  const keys = Object.keys(form.controls) as (keyof T & string)[];
  const controls = form.controls as { readonly [K in keyof T]: FormControl<T[K]> };
  let before: T | null = null;
  effect(() => {
    const now = known();
    if (now === null) return;
    for (const key of keys)
      if ((before === null || !Object.is(before[key], now[key])) && !Object.is(controls[key].value, now[key]))
        controls[key].reset(now[key], { emitEvent: false });
    before = now;
  });
  for (const key of keys)
    controls[key].valueChanges.pipe(takeUntilDestroyed()).subscribe((value) => {
      const now = before;
      if (controls[key].valid && (now === null || !Object.is(value, now[key]))) changed({ [key]: value } as unknown as Partial<T>);
    });
}
