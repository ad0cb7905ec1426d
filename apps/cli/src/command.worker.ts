import { parentPort, workerData } from 'node:worker_threads';
import { EstampeError } from '@estampe/core';
import { isSameFile, writeOutput } from '@estampe/node';
import type { Command, CommandStart } from './command';
import { EXIT } from './command';
import { check } from './commands/check';
import { convert } from './commands/convert';
import { deliver } from './commands/deliver';
import { encode } from './commands/encode';
import { extract } from './commands/extract';
import { HELP } from './commands/help';
import { proof } from './commands/proof';
import { recover } from './commands/recover';
import { settle } from './commands/settle';
import { subdivide } from './commands/subdivide';
import { transfer } from './commands/transfer';
import { unwrap } from './commands/unwrap';
import { Context, sidecarOf } from './context';

const COMMANDS: Readonly<Record<string, (argv: readonly string[]) => Command>> = {
  check,
  convert,
  unwrap,
  recover,
  settle,
  subdivide,
  transfer,
  extract,
  encode,
  proof,
  deliver,
};

const start = workerData as CommandStart;
const word = new Int32Array(start.stop);
const signal = {
  get aborted(): boolean {
    return Atomics.load(word, 0) !== 0;
  },
};

async function run([name, ...rest]: readonly string[]): Promise<number> {
  if (name === undefined || name === 'help' || name === '--help' || name === '-h') {
    process.stdout.write(HELP);
    return name === undefined ? EXIT.refused : EXIT.done;
  }
  let context: Context | null = null;
  try {
    if (!Object.hasOwn(COMMANDS, name)) throw new EstampeError('BAD_OPTION', `there is no command '${name}'; see estampe help.`);
    const command = COMMANDS[name](rest);
    context = new Context(command.common, signal, start.watched);
    const { report, lines, failed } = await command.run(context);
    for (const warning of context.warnings) process.stderr.write(`warning: ${warning}\n`);
    for (const line of lines) process.stdout.write(`${line}\n`);
    await context.writeReport(context.warnings.length > 0 ? { ...report, warnings: context.warnings } : report);
    return failed === true ? EXIT.missed : EXIT.done;
  } catch (error) {
    return await fail(error, context, rest);
  } finally {
    await context?.threads.close();
  }
}

async function fail(error: unknown, context: Context | null, argv: readonly string[]): Promise<number> {
  if (start.watched) process.stderr.write('\r\x1b[K');
  if (!(error instanceof EstampeError)) {
    process.stderr.write(`estampe: internal error: ${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`);
    return EXIT.internal;
  }
  if (error.code === 'CANCELLED') {
    process.stderr.write('estampe: cancelled; no file was left half written.\n');
    return EXIT.cancelled;
  }
  process.stderr.write(`estampe: ${error.message.replace(/\s*\n\s*/g, ' ')}\n`);
  const { code, message, where } = error;
  const json = await reportPath(context, argv);
  // a report that cannot be written must not hide the error itself
  if (json !== null)
    await writeOutput(json, Buffer.from(`${JSON.stringify({ error: { code, message, where } }, null, 2)}\n`)).catch(() => undefined);
  return EXIT.refused;
}

/** Where an error is reported. Before a command has claimed its files nobody knows which of its words are inputs, so a file that is there is
 *  replaced only where it is named as a report and is none of the others. */
async function reportPath(context: Context | null, argv: readonly string[]): Promise<string | null> {
  if (context?.claimed === false) return null;
  if (context?.claimed === true) return context.json;
  const words = argv.flatMap((word) => (word.startsWith('--') && word.includes('=') ? [word.slice(word.indexOf('=') + 1)] : [word]));
  const joined = argv.find((word) => word.startsWith('--json='));
  const at = argv.indexOf('--json');
  const json = joined?.slice('--json='.length) ?? (at >= 0 ? argv[at + 1] : undefined);
  if (json?.endsWith('.json') !== true) return null;
  const same = await Promise.all(words.flatMap((word) => [word, sidecarOf(word)]).map((path) => isSameFile(path, json)));
  return same.filter(Boolean).length > 1 ? null : json;
}

parentPort?.postMessage(await run(start.argv));
