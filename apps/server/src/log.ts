import type { Logger } from 'pino';
import { pino, stdSerializers } from 'pino';
import * as z from 'zod';

/** The log of a process. A value that a schema refuses is told by its place and reason, not by the whole schema: which row it is stands beside it. */
export const logOf = (level: string): Logger => pino({ level, serializers: { err: shortly } });

/** What of an error is logged. */
export function shortly(error: unknown): unknown {
  if (!(error instanceof z.ZodError)) return error instanceof Error ? stdSerializers.err(error) : error;
  const [first, ...others] = error.issues;
  const more = others.length > 0 ? ` (and ${others.length} more)` : '';
  return { type: 'ZodError', message: `${first.path.join('.') || 'the whole'}: ${first.message}${more}`, stack: error.stack?.split('\n').find((line) => /^\s+at (?!.*zod)/.test(line))?.trim() }; // prettier-ignore
}
