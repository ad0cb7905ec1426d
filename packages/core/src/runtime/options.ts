import { InvalidInputError } from './errors';

/** Merges options over defaults: skips `undefined`, rejects unknown keys, copies, leaves the caller's object alone.
 *  @throws InvalidInputError BAD_OPTION */
export function resolveOptions<T extends object>(operation: string, defaults: T, options: Partial<T> = {}): T {
  const out = { ...defaults };
  for (const key of Object.keys(options) as (keyof T)[]) {
    if (!(key in defaults))
      throw new InvalidInputError('BAD_OPTION', `${operation} has no option '${String(key)}'.`, { option: String(key) });
    const value = options[key];
    if (value !== undefined) out[key] = value;
  }
  return out;
}

/** @throws InvalidInputError BAD_OPTION unless min <= value <= max (and whole, if asked). */
export function checkRange(option: string, value: number, min: number, max: number, whole = false): number {
  if (!(value >= min && value <= max) || (whole && !Number.isInteger(value)))
    throw new InvalidInputError('BAD_OPTION', `${option} is ${value}; it must be ${whole ? 'a whole number ' : ''}from ${min} to ${max}.`, {
      option,
    });
  return value;
}
