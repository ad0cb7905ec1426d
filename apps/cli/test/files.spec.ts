import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, linkSync, mkdirSync, readdirSync, readFileSync, statSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { writeExr } from '@estampe/core';
import { nodeZlib } from '@estampe/node';
import { BIN, planeObj, workplace } from './harness';

const { dir, put, estampe, tool } = workplace();
const at = (name: string): string => join(dir, name);
const sum = (name: string): string => createHash('sha256').update(readFileSync(at(name))).digest('hex'); // prettier-ignore
/** Without a report of the harness's own. */
const run = (...args: string[]) => spawnSync(process.execPath, [BIN, ...args], { cwd: dir, encoding: 'utf8' });
const EXTRACT = ['extract', '--low', 'low.obj', '--sculpt', 'high.obj', '--map', 'scalar', '--size', '64', '-o'];

beforeAll(() => {
  put('low.obj', planeObj(2, 0));
  put('high.obj', planeObj(16, 0.25));
  expect(run(...EXTRACT, 'f.exr').status).toBe(0);
  linkSync(at('low.obj'), at('hard.obj'));
  symlinkSync('low.obj', at('soft.obj'));
});

describe('an output that is an input or another output is refused before any work', () => {
  it.each([
    ['a report over a mesh', ['check', 'low.obj', '--json', 'low.obj']],
    ['a report over a mesh, in one word, with a wrong option', ['check', 'low.obj', '--json=low.obj', '--wrong']],
    ['a mesh over itself', ['subdivide', 'low.obj', '--levels', '1', '-o', './low.obj']],
    ['by a hard link', ['subdivide', 'low.obj', '--levels', '1', '-o', 'hard.obj']],
    ['by a symbolic link', ['subdivide', 'soft.obj', '--levels', '1', '-o', 'low.obj']],
    ['a map over its field', ['encode', 'f.exr', '-o', 'f.exr']],
    ['a report over a sidecar', ['proof', '--low', 'low.obj', '--sculpt', 'high.obj', '--map', 'f.exr', '--json', 'f.exr.json']],
    ['a report over the field that is written', [...EXTRACT, 'g.exr', '--json', 'g.exr']],
    ['a report over a tile that is written', [...EXTRACT, 'g.<UDIM>.exr', '--json', 'g.1001.exr']],
  ])('%s', (_, args) => {
    const before = readdirSync(dir).map((name) => [name, sum(name)]);
    const { status, stderr } = run(...args);
    expect(status).toBe(2);
    expect(stderr.trim().split('\n')).toHaveLength(1);
    expect(readdirSync(dir).map((name) => [name, sum(name)])).toEqual(before);
  });
});

it('writes through links and into devices, and replaces neither', () => {
  mkdirSync(at('elsewhere'));
  symlinkSync('elsewhere/new.obj', at('to-be.obj'));
  expect(run('subdivide', 'low.obj', '--levels', '1', '-o', 'to-be.obj').status).toBe(0);
  expect(readFileSync(at('elsewhere/new.obj'), 'utf8')).toContain('25 points');
  const piped = spawnSync('sh', ['-c', `"${process.execPath}" "${BIN}" check low.obj --json /dev/stdout | cat`], {
    cwd: dir,
    encoding: 'utf8',
  });
  expect(piped.stdout).toContain('"diagonal"');
  const full = run('check', 'low.obj', '--json', '/dev/full');
  expect([full.status, full.stderr.includes('ENOSPC')]).toEqual([2, true]);
  expect(statSync('/dev/full').isCharacterDevice()).toBe(true);
});

it('says at the start what is wrong with a place, and what a name leads to', () => {
  spawnSync('mkfifo', [at('pipe')]);
  symlinkSync('one', at('two'));
  symlinkSync('two', at('one'));
  const said = (...args: string[]): string => run(...args).stderr;
  expect(said(...EXTRACT, 'nowhere/g.exr')).toMatch(/the folder .*nowhere is not there/);
  expect(said(...EXTRACT, 'low.obj/g.exr')).toMatch(/low\.obj is not a folder/);
  expect(said('check', '.')).toMatch(/this is a folder/);
  expect(said('check', 'pipe')).toMatch(/not a regular file but a pipe/);
  expect(said('check', 'one')).toMatch(/links lead in a circle/);
  expect(said('check', 'nothing.obj')).toMatch(/there is no such file/);
});

it('a full standard output is said, with the code for what could not be done', () => {
  const { status, stderr } = spawnSync('sh', ['-c', `exec "${process.execPath}" "${BIN}" check low.obj > /dev/full`], { cwd: dir, encoding: 'utf8' }); // prettier-ignore
  expect([status, stderr.trim()]).toEqual([2, expect.stringMatching(/^estampe: standard output cannot be written \(ENOSPC/)]);
});

it('two deliveries of one asset at one moment become two versions', async () => {
  const maps = [{ kind: 'scalar', size: 64 }];
  put('recipe.json', JSON.stringify({ asset: 'Plate', low: 'low.obj', sculpt: 'high.obj', subdivisions: 1, maps }));
  const deliver = (): Promise<number | null> =>
    new Promise((resolve) => spawn(process.execPath, [BIN, 'deliver', 'recipe.json', '-o', 'out'], { cwd: dir }).on('exit', resolve));
  expect(await Promise.all([deliver(), deliver()])).toEqual([0, 0]);
  expect(readdirSync(at('out')).sort()).toEqual(['plate_v001', 'plate_v001.zip', 'plate_v002', 'plate_v002.zip']);
  for (const name of ['plate_v001', 'plate_v002']) expect(existsSync(at(`out/${name}/manifest.json`))).toBe(true);
});

/** After this a command listens for signals, also on a machine that is busy with something else, and is far from done. */
const WELL_BEGUN_MS = 1500;

describe('a stop in the middle', () => {
  beforeAll(async () => {
    const side = 4096;
    const data = Float32Array.from({ length: side * side }, (_, i) => Math.fround(Math.sin(i * 12.9898) * 43758.5453));
    const channel = { name: 'height', type: 'float', data, offset: 0, stride: 1 } as const;
    put('large.exr', await writeExr({ width: side, height: side, channels: [channel], attributes: {} }, nodeZlib));
    put('large.obj', planeObj(1000, 0));
  }, 60_000);

  it.each([
    ['encode', ['encode', 'large.exr', '-o', 'large.png']],
    ['check', ['check', 'large.obj']],
  ])(
    'of %s is heard, and leaves nothing behind',
    async (_, args) => {
      const before = readdirSync(dir);
      const child = spawn(process.execPath, [BIN, ...args], { cwd: dir });
      setTimeout(() => child.kill('SIGINT'), WELL_BEGUN_MS);
      expect(await new Promise((resolve) => child.on('exit', resolve))).toBe(130);
      expect(readdirSync(dir)).toEqual(before);
    },
    60_000,
  );
});

it('reads what another program wrote without compression as it is', () => {
  tool('oiiotool', 'f.exr', '--ch', 'height', '--compression', 'none', '-o', 'none.exr');
  expect(estampe('encode', 'none.exr', '-o', 'none.tif', '--depth', '16', '--midpoint', 'exact', '--scale', '1').status).toBe(0);
  expect(tool('oiiotool', '--stats', 'none.tif')).toMatch(/Stats Min: 49152/);
  tool('oiiotool', 'f.exr', '--crop', '32x32+4+4', '-o', 'part.exr');
  expect(run('encode', 'part.exr', '-o', 'part.tif').stderr).toMatch(/not one whole tile/);
});

it('a field that says nonsense of itself is refused where that matters, and else said', () => {
  tool('oiiotool', 'f.exr', '--attrib', 'estampe:kind', 'height?', '-o', 'odd.exr');
  expect(run('encode', 'odd.exr', '-o', 'odd.tif').stderr).toMatch(/odd\.exr: its attribute kind makes no sense \(height\?\)/);
  tool('oiiotool', 'f.exr', '--attrib', 'estampe:filter', 'none at all', '-o', 'odd.exr');
  expect(run('encode', 'odd.exr', '-o', 'odd.tif').stderr).toMatch(/warning: odd\.exr: the attributes filter make no sense/);
});
