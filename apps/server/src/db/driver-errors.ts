import { BaseError, ConnectionAcquireTimeoutError, DatabaseError } from 'sequelize';

/** Classes of PostgreSQL's error codes that people can do something about (appendix A of its manual). */
const SENTENCES: Readonly<Record<string, string>> = {
  '53100': "The database's disk is full; nothing was written half. Make room there, then try again.",
  '53200': 'The database has run out of memory; nothing was written half. Try again when less is running, or give it more.',
  '53300': 'The database has too many connections; nothing is lost. Stop some workers, or let it take more, then try again.',
};
/** Class 22 is what a value is at fault for. */
const BAD_VALUE = 'Something in this cannot be kept as it is (a character or a number); change it, then try again.';
const CROWDED = 'More is asked of this server at once than it can answer just now; nothing is lost, try again in a moment.';
const AWAY = 'The database does not answer just now; nothing is lost, try again in a moment.';

/** What a failure of the database means, in one sentence; null for any other error. */
export function sentenceOfDatabase(error: unknown): string | null {
  if (!(error instanceof BaseError)) return null;
  if (error instanceof ConnectionAcquireTimeoutError) return CROWDED;
  const code = error instanceof DatabaseError ? (error.original as { code?: unknown }).code : undefined;
  if (typeof code !== 'string') return AWAY;
  return SENTENCES[code] ?? (code.startsWith('22') ? BAD_VALUE : AWAY);
}
