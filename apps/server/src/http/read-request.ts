import type * as z from 'zod';
import { AppError } from './app-error';

/** Checks what came with a request. @throws AppError BAD_OPTION with the first problem; a schema that fails elsewhere is our own fault */
export function readRequest<T>(schema: z.ZodType<T>, value: unknown): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const [issue] = parsed.error.issues;
  throw new AppError('BAD_OPTION', `${issue.path.join('.') || 'The request'}: ${issue.message}.`);
}
