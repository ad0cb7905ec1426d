import { hasStrange } from '@estampe/core';
import * as z from 'zod';

const kept = (text: string): boolean => !hasStrange(text);
const NOT_KEPT =
  'it has characters that cannot be kept (control characters, halves of characters, or marks that turn the direction of writing); leave them out';

/** Text that somebody gives. */
export const plainText = (max: number): z.ZodString => z.string().max(max).refine(kept, NOT_KEPT);

/** A name that somebody gives; blanks at its ends are left off. */
export const plainTitle = (max: number): z.ZodString => z.string().trim().min(1, 'give it a name').max(max).refine(kept, NOT_KEPT);
