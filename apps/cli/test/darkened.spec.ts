import { spawn } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { BIN, planeObj, workplace } from './harness';

const { dir, put, estampe, tool } = workplace();

/** Grey ground with a wall across its middle: what lies at the foot of the wall is less open. */
beforeAll(() => {
  put('low.obj', planeObj(2, 0));
  put('wall.obj', planeObj(32, 0).replace(/^v (\S+) (\S+) (\S+)$/gm, (_line, x: string, y: string) => `v ${x} ${y} ${Number(x) > 2 ? 1 : 0} 0.5 0.5 0.5`)); // prettier-ignore
});
/** Means of the three channels of a written map, codes of sixteen bits. */
const meanOf = (file: string): number[] => (/Stats Avg: (.*) \(/.exec(tool('oiiotool', '--stats', file))?.[1] ?? '').trim().split(/\s+/).map(Number); // prettier-ignore

jest.setTimeout(60_000);

describe('colours darkened in a delivery', () => {
  const deliver = (asset: string, ...maps: object[]) => {
    const recipe = { asset, low: 'low.obj', sculpt: 'wall.obj', maps: maps.map((m) => ({ size: 32, padding: 'fill', ...m })) };
    put('recipe.json', JSON.stringify(recipe));
    return estampe('deliver', 'recipe.json', '-o', 'out');
  };
  const colours = (asset: string): string => {
    const folder = `out/${asset}_v001`;
    const name = readdirSync(join(dir, folder)).find((n) => /_colour_.*\.tif$/.test(n));
    return join(folder, name ?? 'none');
  };

  it('are the colours times how open each place is, as strongly as asked, and the record says by what', () => {
    expect(deliver('plain', { kind: 'colour' }).status).toBe(0);
    const shaded = { kind: 'colour', shade: 'occlusion', rays: 128, distance: 3 };
    expect(deliver('full', { ...shaded, strength: 1 }).status).toBe(0);
    expect(deliver('half', { ...shaded }).status).toBe(0);
    const [plain, full, half] = ['plain', 'full', 'half'].map((asset) => meanOf(colours(asset))[0]);
    expect(plain).toBeCloseTo(0.5 * 65535, -2);
    expect(full).toBeLessThan(0.97 * plain);
    expect(half).toBeGreaterThan(full);
    expect(half).toBeLessThan(plain);
    const record = JSON.parse(readFileSync(join(dir, `${colours('half')}.json`), 'utf8')) as Record<string, unknown>;
    expect(record).toMatchObject({ 'estampe:kind': 'colour', 'estampe:shade': 'occlusion', 'estampe:strength': 0.5 });
    // what darkens is not delivered unless it is asked for
    expect(readdirSync(join(dir, 'out/half_v001')).some((n) => n.includes('occlusion'))).toBe(false);
  });

  it('are the same as the single commands make them', () => {
    const more = ['--shade', 'occlusion', '--strength', '1', '--rays', '128', '--distance', '3', '--padding', 'fill'];
    estampe('extract', '--low', 'low.obj', '--sculpt', 'wall.obj', '--map', 'colour', '--size', '32', '-o', 'c.exr', ...more);
    expect(estampe('encode', 'c.exr', '-o', 'c.tif', '--depth', '16').status).toBe(0);
    expect(tool('oiiotool', '--diff', 'c.tif', colours('full'))).toContain('PASS');
  });

  it.each([
    ['heights', { kind: 'scalar', shade: 'occlusion' }, /only colours can be darkened/],
    ['a strength of nothing', { kind: 'colour', strength: 0.3 }, /nothing darkens the colours without shade/],
    ['a strength beyond all', { kind: 'colour', shade: 'hollows', strength: 1.2 }, /maps\.0\.strength/],
    ['something that cannot darken', { kind: 'colour', shade: 'curvature' }, /maps\.0\.shade/],
  ])('are refused for %s, by name, and nothing is written', (_what, map, line) => {
    const run = deliver('refused', map);
    expect(run.status).toBe(2);
    expect(run.stderr).toMatch(line);
    expect(readdirSync(join(dir, 'out')).some((n) => n.includes('refused'))).toBe(false);
  });
});

describe('a run that is stopped', () => {
  it('ends at once with 130 and leaves no file behind, whole or half', async () => {
    const args = ['extract', '--low', 'low.obj', '--sculpt', 'wall.obj', '--map', 'occlusion', '--rays', '4096', '--size', '2048', '-o', 'stopped.exr']; // prettier-ignore
    const run = spawn(process.execPath, [BIN, ...args], { cwd: dir, stdio: 'ignore' });
    await new Promise((resolve) => setTimeout(resolve, 4000));
    const asked = Date.now();
    run.kill('SIGINT');
    const code = await new Promise((resolve) => run.on('exit', resolve));
    expect(code).toBe(130);
    expect(Date.now() - asked).toBeLessThan(3000); // a second, with room for a busy machine; a single task of this run takes minutes
    expect(readdirSync(dir).filter((n) => n.includes('stopped'))).toEqual([]);
    expect(existsSync(join(dir, 'stopped.exr.json'))).toBe(false);
  });
});
