import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export interface EmbreeRates {
  readonly nearest: { readonly hits: number; readonly raysPerSecond: number };
  readonly blocked: { readonly hits: number; readonly raysPerSecond: number };
  readonly buildSeconds: number;
}

/** Embree's rates for the same rays on one thread, robust mode, one ray at a time; null where its headers or a compiler are not installed. */
export function embreeRates(
  positions: Float32Array,
  corners: Uint32Array,
  origins: Float32Array,
  directions: Float32Array,
): EmbreeRates | null {
  const version = ['4', '3'].find((v) => existsSync(`/usr/include/embree${v}/rtcore.h`));
  if (version === undefined) return null;
  const dir = mkdtempSync(join(tmpdir(), 'estampe-embree-'));
  try {
    const source = fileURLToPath(new URL('../../../scripts/bench/embree-rays.cpp', import.meta.url));
    const program = join(dir, 'rays');
    execFileSync('g++', ['-O2', '-std=c++17', '-march=native', source, '-o', program, `-lembree${version}`]);
    const data = join(dir, 'rays.bin');
    const counts = Uint32Array.of(positions.length / 3, corners.length / 3, origins.length / 3);
    writeFileSync(data, Buffer.concat([counts, positions, corners, origins, directions].map((a) => Buffer.from(a.buffer, a.byteOffset, a.byteLength)))); // prettier-ignore
    const rows = execFileSync(program, [data], { encoding: 'utf8' }).trim().split('\n').map((line) => line.split(' ').map(Number)); // prettier-ignore
    const rate = ([hits, raysPerSecond]: number[]) => ({ hits, raysPerSecond });
    return { nearest: rate(rows[0]), blocked: rate(rows[1]), buildSeconds: rows[0][2] };
  } catch (error) {
    process.stderr.write(`Embree could not be compared: ${error instanceof Error ? error.message.split('\n')[0] : String(error)}\n`);
    return null;
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}
