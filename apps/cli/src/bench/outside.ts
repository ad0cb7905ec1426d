import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { PolyMesh } from '@estampe/core';
import { requireUvs } from '@estampe/core';

/** Baselines from outside: programs built on the spot against libraries that may be installed (Debian: libembree-dev, libosd-dev,
 *  libopenexr-dev, openimageio-tools). Each is null where its library is not there; the benchmark then goes without. */

type Numbers = Float32Array | Uint32Array | Int32Array;

/** Compiles a program of scripts/bench and hands it over, with a folder that is there as long as that takes. */
function compiled<T>(name: string, flags: readonly string[], use: (program: string, dir: string) => T): T | null {
  const dir = mkdtempSync(join(tmpdir(), 'estampe-bench-'));
  try {
    const source = fileURLToPath(new URL(`../../../scripts/bench/${name}.cpp`, import.meta.url));
    const program = join(dir, name);
    execFileSync('g++', ['-O2', '-std=c++17', '-march=native', source, '-o', program, ...flags]);
    return use(program, dir);
  } catch (error) {
    process.stderr.write(`${name} could not be compared: ${error instanceof Error ? error.message.split('\n')[0] : String(error)}\n`);
    return null;
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}

/** Gives a program the numbers as one file and reads the rows of numbers that it prints. */
const ran = (name: string, libraries: readonly string[], input: readonly Numbers[]): number[][] | null =>
  compiled(name, libraries, (program, dir) => {
    const data = join(dir, 'data.bin');
    writeFileSync(data, Buffer.concat(input.map((a) => Buffer.from(a.buffer, a.byteOffset, a.byteLength))));
    return rowsOf(execFileSync(program, [data], { encoding: 'utf8' }));
  });

const rowsOf = (printed: string): number[][] =>
  printed
    .trim()
    .split('\n')
    .map((line) => line.split(' ').map(Number));

/** CPU seconds of a command, user and system, by the shell's own clock, and seconds by the clock on the wall. */
export function commandSeconds(command: string): { readonly cpu: number; readonly wall: number } {
  const from = performance.now();
  const times = execFileSync('bash', ['-c', `{ ${command}; } >/dev/null && times`], { encoding: 'utf8' })
    .trim()
    .split('\n')[1];
  const wall = (performance.now() - from) / 1000;
  return { cpu: [...times.matchAll(/(\d+)m([\d.]+)s/g)].reduce((sum, [, m, s]) => sum + 60 * Number(m) + Number(s), 0), wall };
}

interface Rate {
  readonly hits: number;
  readonly raysPerSecond: number;
}
/** Embree's rates for the same rays on one thread, robust mode, one ray at a time. */
export function embreeRates(
  positions: Float32Array,
  corners: Uint32Array,
  origins: Float32Array,
  directions: Float32Array,
): { readonly nearest: Rate; readonly blocked: Rate } | null {
  const version = embreeVersion();
  if (version === undefined) return null;
  const counts = Uint32Array.of(positions.length / 3, corners.length / 3, origins.length / 3);
  const rows = ran('embree-rays', [`-lembree${version}`], [counts, positions, corners, origins, directions]);
  const rate = ([hits, raysPerSecond]: number[]): Rate => ({ hits, raysPerSecond });
  return rows && { nearest: rate(rows[0]), blocked: rate(rows[1]) };
}

/** CPU seconds that Embree takes to build its tree on one thread, and its closest points of some places: their distances' sum and how many a CPU
 *  second. */
export function embreeTree(
  positions: Float32Array,
  corners: Uint32Array,
  places: Float32Array,
): { readonly buildSeconds: number; readonly distances: number; readonly placesPerSecond: number } | null {
  const version = embreeVersion();
  if (version === undefined) return null;
  const counts = Uint32Array.of(positions.length / 3, corners.length / 3, places.length / 3);
  const rows = ran('embree-tree', [`-lembree${version}`], [counts, positions, corners, places]);
  return rows && { buildSeconds: rows[0][0], distances: rows[1][0], placesPerSecond: rows[1][1] };
}

const embreeVersion = (): string | undefined => ['4', '3'].find((v) => existsSync(`/usr/include/embree${v}/rtcore.h`));

const hasOpenSubdiv = (): boolean => existsSync('/usr/include/opensubdiv/far/primvarRefiner.h');

/** A mesh with its UVs as the programs read it: how many of everything, then everything. */
function meshNumbers(mesh: PolyMesh): { readonly counts: readonly number[]; readonly arrays: readonly Numbers[] } {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { positions, faceOffsets, faceVerts } = mesh;
  const sizes = Int32Array.from({ length: faceOffsets.length - 1 }, (_, f) => faceOffsets[f + 1] - faceOffsets[f]);
  return {
    counts: [positions.length / 3, sizes.length, faceVerts.length, uvs.length / 2],
    arrays: [positions, sizes, faceVerts, uvs, faceUvs],
  };
}

/** CPU seconds of OpenSubdiv to refine a mesh with its UVs, and the faces of the last level. */
export function openSubdivSeconds(mesh: PolyMesh, levels: number): { readonly faces: number; readonly seconds: number } | null {
  if (!hasOpenSubdiv()) return null;
  const { counts, arrays } = meshNumbers(mesh);
  const rows = ran('opensubdiv-refine', ['-losdCPU'], [Uint32Array.of(...counts, levels), ...arrays]);
  return rows && { faces: rows[0][0], seconds: rows[0][1] };
}

/** Heights along normals by OpenSubdiv and Embree on one thread, from two PLY files to an EXR: texels that were hit, the mean of their heights, and
 *  CPU seconds of it all, of reading, of refining, of the tree, of the texels and of writing. */
export function nativeHeights(
  low: string,
  sculpt: string,
  levels: number,
  size: number,
): { readonly hits: number; readonly mean: number; readonly seconds: readonly number[] } | null {
  const version = embreeVersion();
  if (version === undefined || !hasOpenSubdiv() || !existsSync('/usr/include/OpenEXR/ImfOutputFile.h')) return null;
  const flags = ['-I/usr/include/OpenEXR', '-I/usr/include/Imath', `-lembree${version}`, '-losdCPU', '-lOpenEXR', '-lImath', '-lIex'];
  return compiled('native-heights', flags, (program, dir) => {
    const [[hits, mean, ...seconds]] = rowsOf(execFileSync(program, [low, sculpt, String(levels), String(size), join(dir, 'out.exr')], { encoding: 'utf8' })); // prettier-ignore
    return { hits, mean, seconds };
  });
}

/** CPU seconds of oiiotool to write a file's pixels as ZIP, on one thread: reading it is taken off. */
export function oiiotoolSeconds(exr: Uint8Array): number | null {
  if (!existsSync('/usr/bin/oiiotool')) return null;
  const dir = mkdtempSync(join(tmpdir(), 'estampe-bench-'));
  try {
    const [from, to] = [join(dir, 'in.exr'), join(dir, 'out.exr')];
    writeFileSync(from, exr);
    const seconds = (compression: string): number =>
      commandSeconds(`oiiotool --threads 1 ${from} --compression ${compression} -o ${to}`).cpu;
    const best = (compression: string): number => Math.min(seconds(compression), seconds(compression));
    return best('zip') - best('none');
  } catch {
    return null;
  } finally {
    rmSync(dir, { recursive: true, force: true });
  }
}
