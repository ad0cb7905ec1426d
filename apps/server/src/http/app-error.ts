import type { ErrorCode } from '@estampe/core';

/** What the server refuses on purpose; the message goes to the screen as it is. */
export class AppError extends Error {
  override readonly name = 'AppError';
  constructor(
    readonly code: ErrorCode | 'CONFLICT' | 'FORBIDDEN' | 'NOT_READY' | 'UNAVAILABLE',
    message: string,
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}
