import { PassThrough } from 'node:stream';
import type { Readable } from 'node:stream';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { AppError } from './app-error';

/** The bytes of a request that may take its time but may not stand still: when nothing has come for `idleMs` the stream ends with TRUNCATED, and
 *  the connection is kept until that has been answered. */
export function uploadOf(request: IncomingMessage, response: ServerResponse, idleMs: number): Readable {
  const bytes = new PassThrough();
  request.on('error', (error) => bytes.destroy(error));
  request.setTimeout(idleMs, () => {
    response.setHeader('Connection', 'close');
    response.on('finish', () => request.destroy());
    bytes.destroy(new AppError('TRUNCATED', `nothing has arrived for ${idleMs / 1000} s; send it again.`));
  });
  return request.pipe(bytes);
}
