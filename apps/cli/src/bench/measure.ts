/** Rows of ratios, each against a stated baseline measured in the same run. Absolute times depend on the machine and are only context. */
const rows: [what: string, value: string, baseline: string][] = [];

export function note(what: string, value: string, baseline: string): void {
  rows.push([what, value, baseline]);
  process.stderr.write(`${what}: ${value} (${baseline})\n`);
}

export const printTable = (): unknown =>
  process.stdout.write(
    `\n| what | measured | baseline in the same run |\n|---|---|---|\n${rows.map((r) => `| ${r.join(' | ')} |`).join('\n')}\n`,
  );

const collect = (globalThis as { gc?: () => void }).gc;
/** CPU seconds of the whole process, best of `times` runs. */
export async function cpu(times: number, run: () => unknown): Promise<number> {
  let best = Infinity;
  for (let i = 0; i < times; i++) {
    collect?.();
    const before = process.cpuUsage();
    await run();
    const { user, system } = process.cpuUsage(before);
    best = Math.min(best, (user + system) / 1e6);
  }
  return best;
}
