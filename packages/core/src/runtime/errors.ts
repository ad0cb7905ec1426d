import { shownMessage } from './shown-text';

/** Everything the core refuses, by code. The code is stable; the message is for people. */
export type ErrorCode =
  | 'EMPTY_FILE'
  | 'NOT_THIS_FORMAT'
  | 'TRUNCATED'
  | 'BAD_NUMBER'
  | 'INDEX_OUT_OF_RANGE'
  | 'TOO_LARGE'
  | 'NO_FACES'
  | 'NO_UVS'
  | 'NO_COLOURS'
  | 'NO_TILE'
  | 'SAME_LEVEL'
  | 'SAME_SURFACE'
  | 'NO_OVERLAP'
  | 'INSIDE_OUT'
  | 'NOT_A_STACK'
  | 'NOTHING_TO_TRANSFER'
  | 'BAD_OPTION'
  | 'BAD_TOPOLOGY'
  | 'UNSUPPORTED'
  | 'NOT_FOUND'
  | 'NO_MEMORY'
  | 'CANCELLED';

/** Where something is wrong; only what is known is filled in. */
export interface ErrorWhere {
  readonly file?: string;
  readonly line?: number;
  readonly face?: number;
  readonly vertex?: number;
  readonly tile?: number;
  readonly option?: string;
}

/** Base of all errors that the core throws on purpose; carries what a screen or a report needs. */
export class EstampeError extends Error {
  override readonly name: string = 'EstampeError';
  constructor(
    readonly code: ErrorCode,
    message: string,
    readonly where: ErrorWhere = {},
  ) {
    super(shownMessage(message));
  }

  /** The same error, told in which file it happened. */
  inFile(file: string): EstampeError {
    const line = this.where.line === undefined ? '' : `:${this.where.line}`;
    return rebuildError({
      name: this.name,
      code: this.code,
      message: `${file}${line}: ${this.message}`,
      where: { ...this.where, file },
    });
  }
}

/** A file or an option that cannot be used as it is. */
export class InvalidInputError extends EstampeError {
  override readonly name = 'InvalidInputError';
}

/** A mesh whose connectivity does not allow what was asked. */
export class TopologyError extends EstampeError {
  override readonly name = 'TopologyError';
}

/** A valid file that uses a feature we do not read. */
export class UnsupportedError extends EstampeError {
  override readonly name = 'UnsupportedError';
}

export class CancelledError extends EstampeError {
  override readonly name = 'CancelledError';
  constructor(message = 'Cancelled.') {
    super('CANCELLED', message);
  }
}

/** What crosses a thread's edge: class instances do not survive structured cloning. */
export interface ErrorRecord {
  readonly name: string;
  readonly code: ErrorCode | null;
  readonly message: string;
  readonly where: ErrorWhere;
  readonly stack?: string;
}

export function toErrorRecord(error: unknown): ErrorRecord {
  if (error instanceof EstampeError) {
    const { name, code, message, where, stack } = error;
    return { name, code, message, where, ...(stack === undefined ? {} : { stack }) };
  }
  const e = error instanceof Error ? error : new Error(String(error));
  return { name: e.name, code: null, message: e.message, where: {}, ...(e.stack === undefined ? {} : { stack: e.stack }) };
}

/** Rebuilds the class of an error that came from another thread. */
export function rebuildError(record: ErrorRecord & { readonly code: ErrorCode }): EstampeError;
export function rebuildError(record: ErrorRecord): Error;
export function rebuildError(record: ErrorRecord): Error {
  const { name, code, message, where } = record;
  if (code === null) return Object.assign(new Error(message), record.stack === undefined ? {} : { stack: record.stack });
  if (code === 'CANCELLED') return new CancelledError(message);
  if (name === 'TopologyError') return new TopologyError(code, message, where);
  if (name === 'UnsupportedError') return new UnsupportedError(code, message, where);
  return new InvalidInputError(code, message, where);
}
