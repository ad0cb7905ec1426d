import { EstampeError } from '@estampe/core';
import { writeOutput } from '@estampe/node';
import type { CommonOptions } from './args';
import { check } from './commands/check';
import { deliver } from './commands/deliver';
import { encode } from './commands/encode';
import { extract } from './commands/extract';
import { HELP } from './commands/help';
import { proof } from './commands/proof';
import { subdivide } from './commands/subdivide';
import { Context } from './context';

/** A command's outcome: the report, lines for people, and whether a tolerance was missed. */
export interface Outcome {
  readonly report: object;
  readonly lines: readonly string[];
  readonly failed?: boolean;
}
/** Reads its arguments at once (errors cost nothing), then runs. */
export interface Command {
  readonly common: CommonOptions;
  run(context: Context): Promise<Outcome>;
}

const COMMANDS: Readonly<Record<string, (argv: readonly string[]) => Command>> = { check, subdivide, extract, encode, proof, deliver };

async function main(argv: readonly string[]): Promise<number> {
  const [name, ...rest] = argv;
  if (name === undefined || name === 'help' || name === '--help' || name === '-h') {
    process.stdout.write(HELP);
    return name === undefined ? 2 : 0;
  }
  const signal = { aborted: false };
  process.once('SIGINT', () => (signal.aborted = true));
  // found by hand so that an error in the options can be reported too
  const jsonAt = rest.indexOf('--json');
  const json = jsonAt >= 0 ? rest[jsonAt + 1] : undefined;
  let context: Context | null = null;
  try {
    if (!Object.hasOwn(COMMANDS, name)) throw new EstampeError('BAD_OPTION', `there is no command '${name}'; see estampe help.`);
    const command = COMMANDS[name](rest);
    context = new Context(command.common.threads, signal);
    const { report, lines, failed } = await command.run(context);
    for (const warning of context.warnings) process.stderr.write(`warning: ${warning}\n`);
    for (const line of lines) process.stdout.write(`${line}\n`);
    if (command.common.json !== undefined)
      await context.writeJson(command.common.json, context.warnings.length > 0 ? { ...report, warnings: context.warnings } : report);
    return failed === true ? 1 : 0;
  } catch (error) {
    return await fail(error, json);
  } finally {
    await context?.threads.close();
  }
}

async function fail(error: unknown, json: string | undefined): Promise<number> {
  if (process.stderr.isTTY) process.stderr.write('\r\x1b[K');
  if (!(error instanceof EstampeError)) {
    process.stderr.write(`estampe: internal error: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`);
    return 3;
  }
  if (error.code === 'CANCELLED') {
    process.stderr.write('estampe: cancelled; nothing was written.\n');
    return 130;
  }
  process.stderr.write(`estampe: ${error.message.replace(/\s*\n\s*/g, ' ')}\n`);
  if (json !== undefined) {
    const { code, message, where } = error;
    // a report that cannot be written must not hide the error itself
    await writeOutput(json, Buffer.from(`${JSON.stringify({ error: { code, message, where } }, null, 2)}\n`)).catch(() => undefined);
  }
  return 2;
}

// a reader that had enough (head, less) is no error
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error;
});
process.exitCode = await main(process.argv.slice(2));
