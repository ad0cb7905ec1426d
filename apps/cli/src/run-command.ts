import type { Worker } from 'node:worker_threads';
import { EstampeError, shownMessage } from '@estampe/core';
import { isSameFile, writeOutput } from '@estampe/node';
import type { Command, CommandStart } from './command';
import { EXIT } from './command';
import type { CommandName } from './commands/help';
import { HELP, helpOf, isCommand } from './commands/help';
import { Context, sidecarOf } from './context';

/** Each is loaded when it is asked for: some of what a delivery needs takes longer to load than a small map to measure. */
const COMMANDS: Readonly<Record<CommandName, () => Promise<(argv: readonly string[]) => Command>>> = {
  check: async () => (await import('./commands/check')).check,
  convert: async () => (await import('./commands/convert')).convert,
  unwrap: async () => (await import('./commands/unwrap')).unwrap,
  recover: async () => (await import('./commands/recover')).recover,
  settle: async () => (await import('./commands/settle')).settle,
  subdivide: async () => (await import('./commands/subdivide')).subdivide,
  transfer: async () => (await import('./commands/transfer')).transfer,
  extract: async () => (await import('./commands/extract')).extract,
  encode: async () => (await import('./commands/encode')).encode,
  proof: async () => (await import('./commands/proof')).proof,
  deliver: async () => (await import('./commands/deliver')).deliver,
};

/** Runs a command from its arguments to its report. @param early threads that were started for it @returns the exit code */
export async function runCommand({ argv: [name, ...rest], stop, watched }: CommandStart, early: readonly Worker[]): Promise<number> {
  const word = new Int32Array(stop);
  const signal = {
    get aborted(): boolean {
      return Atomics.load(word, 0) !== 0;
    },
  };
  if (name === undefined || name === 'help' || [name, ...rest].some((word) => word === '--help' || word === '-h')) {
    const about = [name, ...rest].find((word) => isCommand(word));
    process.stdout.write(about === undefined ? HELP : helpOf(about));
    return name === undefined ? EXIT.refused : EXIT.done;
  }
  let context: Context | null = null;
  try {
    if (!isCommand(name)) throw new EstampeError('BAD_OPTION', `there is no command '${name}'; see estampe help.`);
    const command = (await COMMANDS[name]())(rest);
    context = new Context(command.common, signal, watched, early);
    const { report, lines, failed } = await command.run(context);
    for (const warning of context.warnings) process.stderr.write(`warning: ${shownMessage(warning)}\n`);
    for (const line of lines) process.stdout.write(`${shownMessage(line)}\n`);
    await context.writeReport(context.warnings.length > 0 ? { ...report, warnings: context.warnings } : report);
    return failed === true ? EXIT.missed : EXIT.done;
  } catch (error) {
    return await fail(error, context, rest, watched);
  } finally {
    await context?.threads.close();
  }
}

async function fail(error: unknown, context: Context | null, argv: readonly string[], watched: boolean): Promise<number> {
  if (watched) process.stderr.write('\r\x1b[K');
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
