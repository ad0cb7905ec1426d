import * as z from 'zod';

/** Control characters and halves of surrogate pairs: no database keeps them, no file name may have them. */
const STRANGE = /[\p{Cc}\p{Cs}]/u;
const kept = (text: string): boolean => !STRANGE.test(text);
const NOT_KEPT = 'it has characters that cannot be kept (control characters, or halves of characters); leave them out';

/** Text that somebody gives. */
export const plainText = (max: number): z.ZodString => z.string().max(max).refine(kept, NOT_KEPT);

/** A name that somebody gives; blanks at its ends are left off. */
export const plainTitle = (max: number): z.ZodString => z.string().trim().min(1, 'give it a name').max(max).refine(kept, NOT_KEPT);
