import type { CommonOptions } from './args';
import type { Context } from './context';

/** A command's outcome: the report, lines for people, and whether a tolerance was missed. */
export interface Outcome {
  readonly report: object;
  readonly lines: readonly string[];
  readonly failed?: boolean;
}

/** Reads its arguments at once (errors cost nothing), then runs. The first thing it does is to claim its files. */
export interface Command {
  readonly common: CommonOptions;
  run(context: Context): Promise<Outcome>;
}

/** Exit codes, as documented. */
export const EXIT = { done: 0, missed: 1, refused: 2, internal: 3, cancelled: 130 } as const;

/** What the first thread gives the one that runs the command. */
export interface CommandStart {
  readonly argv: readonly string[];
  /** One 32 bit word; not zero when the command is to stop. */
  readonly stop: SharedArrayBuffer;
  /** Whether somebody watches the error output. */
  readonly watched: boolean;
}
