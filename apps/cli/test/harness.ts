import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export const BIN = join(__dirname, '../bin/estampe.mjs');

export interface Run {
  status: number | null;
  stderr: string;
  stdout: string;
  json: Record<string, unknown>;
}

/** A folder of its own in which the built command line is run; it goes with the suite. */
export function workplace() {
  const dir = mkdtempSync(join(tmpdir(), 'estampe-cli-'));
  afterAll(() => rmSync(dir, { recursive: true, force: true }));
  return {
    dir,
    put: (name: string, text: string | Uint8Array): void => writeFileSync(join(dir, name), text),
    estampe: (...args: string[]): Run => {
      const report = join(dir, 'report.json');
      rmSync(report, { force: true });
      const { status, stderr, stdout } = spawnSync(process.execPath, [BIN, ...args, '--json', report], { cwd: dir, encoding: 'utf8' });
      return {
        status,
        stderr,
        stdout,
        json: existsSync(report) ? (JSON.parse(readFileSync(report, 'utf8')) as Record<string, unknown>) : {},
      };
    },
    /** A program of the system's; throws when it fails. */
    tool: (name: string, ...args: string[]): string =>
      execFileSync(name, args, { cwd: dir, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'] }),
  };
}

/** n x n quads over 4 x 4 units, tile chosen by u offset. */
export function planeObj(n: number, z: number, options: { uvs?: boolean; tiles?: number } = {}): string {
  const lines: string[] = [];
  const tiles = options.tiles ?? 1;
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`v ${(4 * i) / n} ${(4 * j) / n} ${z}`);
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`vt ${(tiles * i) / n} ${j / n}`);
  const at = (i: number, j: number): string => `${j * (n + 1) + i + 1}${options.uvs === false ? '' : `/${j * (n + 1) + i + 1}`}`;
  for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) lines.push(`f ${at(i, j)} ${at(i + 1, j)} ${at(i + 1, j + 1)} ${at(i, j + 1)}`);
  return `${lines.join('\n')}\n`;
}
