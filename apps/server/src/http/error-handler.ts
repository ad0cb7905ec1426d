import type { ErrorRequestHandler, RequestHandler } from 'express';
import { EstampeError } from '@estampe/core';
import type { Logger } from 'pino';
import { BaseError } from 'sequelize';
import { sentenceOfDatabase } from '../db/driver-errors';
import { AppError } from './app-error';

const STATUS: Readonly<Record<string, number>> = { NOT_FOUND: 404, CONFLICT: 409, NOT_READY: 409, TOO_LARGE: 413, UNAVAILABLE: 503 };

/** One place where errors become answers: {code, message}, the message for people. */
export function errorHandler(log: Logger): ErrorRequestHandler {
  return (error: unknown, _request, response, next) => {
    if (response.headersSent) {
      // somebody who leaves in the middle of an answer is nobody's fault
      if (!isGone(error)) next(error);
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

const isGone = (error: unknown): boolean => error instanceof Error && 'code' in error && error.code === 'ERR_STREAM_PREMATURE_CLOSE';

const isBodyError = (error: unknown): error is { status: number } =>
  typeof error === 'object' &&
  error !== null &&
  'status' in error &&
  typeof error.status === 'number' &&
  error.status >= 400 &&
  error.status < 500;

/** Refuses requests that another site's page sends, and names that are not this machine's (DNS rebinding). */
export const sameOriginOnly: RequestHandler = (request, _response, next) => {
  const host = request.headers.host ?? '';
  const origin = request.headers.origin;
  const local = /^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/.test(host);
  if (!local || (origin !== undefined && origin !== `http://${host}`))
    next(new AppError('BAD_OPTION', 'Requests from other sites are refused; open Estampe by its own address.'));
  else next();
};
