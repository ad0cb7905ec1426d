import type { ErrorRequestHandler } from 'express';
import { EstampeError } from '@estampe/core';
import type { Logger } from 'pino';
import { BaseError } from 'sequelize';
import { sentenceOfDatabase } from '../db/driver-errors';
import { AppError } from './app-error';

const STATUS: Readonly<Record<string, number>> = {
  FORBIDDEN: 401,
  NOT_FOUND: 404,
  CONFLICT: 409,
  NOT_READY: 409,
  TOO_LARGE: 413,
  UNAVAILABLE: 503,
};

/** One place where errors become answers: {code, message}, the message for people. */
export function errorHandler(log: Logger): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    // somebody who leaves in the middle of a request or an answer is nobody's fault
    if (isGone(error) || (request.destroyed && !request.complete && response.socket?.destroyed !== false)) {
      log.debug({ err: error }, 'a client has left');
      response.destroy();
      return;
    }
    if (response.headersSent) {
      next(error);
      return;
    }
    if (error instanceof AppError || error instanceof EstampeError)
      response.status(STATUS[error.code] ?? 400).json({ code: error.code, message: error.message });
    else if (isBodyError(error))
      response.status(error.status).json({ code: 'BAD_OPTION', message: 'The request could not be read; load the page again.' });
    else if (error instanceof BaseError) {
      log.warn({ err: error }, 'database');
      response.status(503).json({ code: 'UNAVAILABLE', message: sentenceOfDatabase(error) });
    } else {
      log.error({ err: error }, 'unexpected');
      response.status(500).json({
        code: 'INTERNAL',
        message: 'Something went wrong inside Estampe; try again, and keep the server log if it happens twice.',
      });
    }
  };
}

const GONE: readonly unknown[] = ['ERR_STREAM_PREMATURE_CLOSE', 'ECONNRESET', 'EPIPE'];
const isGone = (error: unknown): boolean =>
  error instanceof Error && !(error instanceof BaseError) && 'code' in error && GONE.includes(error.code);

const isBodyError = (error: unknown): error is { status: number } =>
  typeof error === 'object' &&
  error !== null &&
  'status' in error &&
  typeof error.status === 'number' &&
  error.status >= 400 &&
  error.status < 500;
