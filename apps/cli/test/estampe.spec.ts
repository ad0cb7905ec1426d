import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { BIN, planeObj, workplace } from './harness';
import type { Run } from './harness';
import { unzipTo } from '../../../packages/delivery/test/unzip';

const { dir, put, estampe, tool } = workplace();

describe('the worked example: a plane raised by a known step', () => {
  beforeAll(() => {
    put('low.obj', planeObj(2, 0));
    put('high.obj', planeObj(16, 0.25));
  });

  it('check, extract, encode and proof give the numbers that can be worked out by hand', () => {
    const check = estampe('check', 'low.obj');
    expect(check.status).toBe(0);
    expect(check.json).toMatchObject({ points: 9, faces: 4, tiles: [1001] });
    expect(check.json['diagonal']).toBeCloseTo(Math.hypot(4, 4), 6);

    const extract = estampe('extract', '--low', 'low.obj', '--sculpt', 'high.obj', '--map', 'scalar', '--size', '64', '-o', 'field.exr');
    expect(extract.status).toBe(0);
    expect(extract.json).toMatchObject({
      size: [64, 64],
      tiles: [1001],
      match: 'stack', // recognised by its connectivity: the points come in rows
      covered: 4096,
      missed: 0,
      doubtful: 0,
      min: 0.25,
      max: 0.25,
      rays: 4096,
    });
    expect(Object.keys(extract.json)).toEqual(expect.arrayContaining(['reach', 'raysPerSecond', 'raysPerCpuSecond', 'seconds']));

    const encode = estampe('encode', 'field.exr', '-o', 'map.tif', '--depth', '16', '--midpoint', 'exact', '--scale', '1');
    expect(encode.status).toBe(0);
    expect(encode.json).toMatchObject({
      depth: '16',
      midpoint: 32768 / 65535,
      scale: 1,
      step: 1 / 65535,
      restError: 0,
      clippedShare: 0,
      terracedShare: 0,
    });
    // 0.25 * 65535 + 32768 = 49151.75, stored as 49152, read back as 0.25000381...
    expect(tool('oiiotool', '--stats', 'map.tif')).toMatch(/Stats Min: 49152/);
    expect(encode.json['max']).toBeCloseTo((49152 - 32768) / 65535, 7);

    const proof = estampe(
      'proof',
      '--low',
      'low.obj',
      '--map',
      'map.tif',
      '--sculpt',
      'high.obj',
      '--field',
      'field.exr',
      '--tolerance',
      '0.001',
    );
    expect(proof.status).toBe(0);
    expect(proof.stdout).toContain('Good to pull');
    expect(proof.json).toMatchObject({
      subdivisions: 3,
      unencoded: { rms: 0 },
      reachedShare: 1,
      foldShare: 0,
      missedShare: 0,
      clippedShare: 0,
      passed: true,
      seamGap: { rms: 0, max: 0 },
    });
    const { distance, undisplaced } = proof.json as Record<string, { rms: number }>;
    expect(distance.rms).toBeCloseTo(16384 / 65535 - 0.25, 7);
    expect(undisplaced.rms).toBeCloseTo(0.25, 7);
    expect(estampe('proof', '--low', 'low.obj', '--map', 'map.tif', '--sculpt', 'high.obj', '--tolerance', '0.00001%').status).toBe(1);
  });

  it('writes files that independent tools accept without a warning, with attributes and sidecars', () => {
    for (const [name, depth] of [
      ['f.exr', 'float'],
      ['h.exr', 'half'],
      ['8.tif', '8'],
      ['16.tif', '16'],
      ['f.tif', 'float'],
      ['8.png', '8'],
      ['16.png', '16'],
    ])
      // prettier-ignore
      expect(estampe('encode', 'field.exr', '-o', name, '--depth', depth).status).toBe(0);
    expect(tool('exrheader', 'f.exr')).toMatch(/estampe:kind \(type string\): "scalar"[\s\S]*estampe:scale \(type double\): 1/);
    expect(tool('exrheader', 'field.exr')).toMatch(
      /coverage, 32-bit floating-point[\s\S]*height, 32-bit floating-point[\s\S]*estampe:lowHash/,
    );
    for (const name of ['f.exr', 'h.exr', 'f.tif']) expect(tool('oiiotool', '--stats', name)).toMatch(/Stats Min: 0\.25/);
    for (const name of ['8.tif', '16.tif', 'f.tif']) expect(spawnSync('tiffinfo', [name], { cwd: dir, encoding: 'utf8' }).stderr).toBe('');
    for (const name of ['8.png', '16.png']) expect(tool('pngcheck', name)).toMatch(/^OK/);
    expect(tool('oiiotool', '16.tif', '16.png', '--diff')).toMatch(/PASS/);
    const sidecar = JSON.parse(readFileSync(join(dir, '16.png.json'), 'utf8')) as Record<string, unknown>;
    expect(sidecar).toMatchObject({
      'estampe:kind': 'scalar',
      'estampe:base': 'limit',
      'estampe:depth': '16',
      'estampe:tile': 1001,
      'estampe:clippedShare': 0,
    });
  });

  it('subdivides, to the limit too, and handles tiles by name', () => {
    const sub = estampe('subdivide', 'low.obj', '-o', 'sub.obj', '--levels', '2', '--limit');
    expect(sub.json).toMatchObject({ points: 81, faces: 64 });
    expect(readFileSync(join(dir, 'sub.obj'), 'utf8')).toMatch(/\nvn 0 0 1\n/);
    put('two.obj', planeObj(2, 0, { tiles: 2 }));
    const args = ['extract', '--low', 'two.obj', '--sculpt', 'high.obj', '--map', 'scalar', '--size', '16x8'];
    expect(estampe(...args, '-o', 'one.exr')).toMatchObject({ status: 2 });
    const both = estampe(...args, '-o', 'f.<UDIM>.exr');
    expect(both.json).toMatchObject({ size: [16, 8], tiles: [1001, 1002], covered: 256 });
    for (const tile of [1001, 1002]) expect(estampe('encode', `f.${tile}.exr`, '-o', `m.${tile}.exr`).status).toBe(0);
    expect(estampe('proof', '--low', 'two.obj', '--map', 'm.<UDIM>.exr', '--sculpt', 'high.obj').json).toMatchObject({
      distance: { rms: 0 },
      passed: null,
      tolerance: null,
    });
  });

  it('gives the tiles of one map one range, with figures over all of them', () => {
    // rises from left to right: each tile alone would get a range of its own
    put(
      'slope.obj',
      planeObj(16, 0).replace(/^v ([0-9.]+) ([0-9.]+) 0$/gm, (_, x: string, y: string) => `v ${x} ${y} ${Number(x) / 8}`),
    );
    estampe(
      'extract',
      '--low',
      'two.obj',
      '--sculpt',
      'slope.obj',
      '--map',
      'scalar',
      '--size',
      '32',
      '--match-seams',
      '-o',
      's.<UDIM>.exr',
    );
    const run = estampe('encode', 's.<UDIM>.exr', '-o', 's.<UDIM>.png', '--depth', '16');
    expect(run.json).toMatchObject({ tiles: [1001, 1002], clippedShare: 0 });
    expect(run.json['scale']).toBeGreaterThan(0.98);
    expect(run.json['min']).toBeLessThan(0.01);
    const sidecar = (tile: number): object => JSON.parse(readFileSync(join(dir, `s.${tile}.png.json`), 'utf8')) as object;
    for (const tile of [1001, 1002]) expect(sidecar(tile)).toMatchObject({ 'estampe:scale': run.json['scale'], 'estampe:tile': tile });
    const proof = estampe('proof', '--low', 'two.obj', '--map', 's.<UDIM>.png', '--sculpt', 'slope.obj').json as {
      seamGap: { max: number };
    };
    expect(proof.seamGap.max).toBeLessThan(run.json['step'] as number);
    // the slope rises to 0.5, half of that in the left tile
    expect((run.json['perTile'] as { tile: number; max: number }[]).map((t) => [t.tile, t.max > 0.3])).toEqual([
      [1001, false],
      [1002, true],
    ]);

    // the same maps by a delivery, which reads tile after tile, among maps of other kinds and ranges
    const kinds = [{ kind: 'scalar', matchSeams: true }, { kind: 'scalar', fit: 'clip:0.1' }, { kind: 'normal' }, { kind: 'occlusion', rays: 4 }]; // prettier-ignore
    const maps = kinds.map((map) => ({ size: 32, depth: '16', fileType: 'png', matchSeams: false, ...map }));
    put('tiled.json', JSON.stringify({ asset: 'Slope', low: 'two.obj', sculpt: 'slope.obj', subdivisions: 3, maps }));
    expect(estampe('deliver', 'tiled.json', '-o', 'tiled').status).toBe(0);
    expect(readdirSync(join(dir, 'tiled')).sort()).toEqual(['slope_v001', 'slope_v001.zip']);
    const { maps: delivered } = JSON.parse(readFileSync(join(dir, 'tiled/slope_v001/manifest.json'), 'utf8')) as { maps: { scale: number; files: { file: string }[]; proof: { report: { distance?: object; clippedShare: number } } }[] }; // prettier-ignore
    expect(delivered.map((m) => m.files.length)).toEqual([2, 2, 2, 2]);
    const inDelivery = (k: number): string => `tiled/slope_v001/${delivered[k].files[0].file.replace('1001', '<UDIM>')}`;
    for (const [k, tile] of [1001, 1002].entries())
      expect(tool('oiiotool', '--hash', `tiled/slope_v001/${delivered[0].files[k].file}`).split('SHA-1:')[1]).toBe(tool('oiiotool', '--hash', `s.${tile}.png`).split('SHA-1:')[1]); // prettier-ignore
    const again = estampe('proof', '--low', 'two.obj', '--map', inDelivery(0), '--sculpt', 'slope.obj', '--subdivisions', '3');
    expect(again.json['distance']).toEqual(delivered[0].proof.report.distance);
    expect(delivered[1].scale).toBeLessThan(delivered[0].scale);
    expect(delivered[1].proof.report.clippedShare).toBeCloseTo(0.05, 1); // of the upper tail: the lower one ends at rest

    // a range that cuts the right tile alone: shares are over both, each tile's own beside them
    const cut = estampe('encode', 's.<UDIM>.exr', '-o', 'c.<UDIM>.png', '--depth', '16', '--midpoint', '0', '--scale', '0.25');
    const own = (cut.json['perTile'] as { clippedShare: number }[]).map((t) => t.clippedShare);
    expect(own[0]).toBeLessThan(0.1);
    expect(own[1]).toBeGreaterThan(0.9);
    expect(cut.json['clippedShare']).toBeCloseTo((own[0] + own[1]) / 2, 9);
    const held = estampe('proof', '--low', 'two.obj', '--map', 'c.<UDIM>.png', '--sculpt', 'slope.obj');
    expect(held.json['clippedShare']).toBeCloseTo(cut.json['clippedShare'] as number, 9);

    // tiles that are not one map
    estampe('encode', 's.1002.exr', '-o', 's.1002.png', '--depth', '16', '--scale', '3');
    const mixed = estampe('proof', '--low', 'two.obj', '--map', 's.<UDIM>.png', '--sculpt', 'slope.obj');
    expect([mixed.status, mixed.stderr]).toEqual([2, expect.stringMatching(/tile 1002 says scale is 3/)]);

    for (const [args, line] of [
      [['s.<UDIM>.exr', '-o', 's.png'], /uses 2 tiles; write <UDIM>/],
      [['s.1001.exr', '-o', 's.<UDIM>.png'], /leave <UDIM> out/],
      [['gone.<UDIM>.exr', '-o', 's.<UDIM>.png'], /no such file for any tile/],
    ] as const) {
      const bad = estampe('encode', ...args);
      expect([bad.status, bad.stderr]).toEqual([2, expect.stringMatching(line)]);
    }
  });

  it('ends quietly when nobody reads what it says, and helps wherever it is asked to', () => {
    const help = estampe('help');
    expect(estampe('--help')).toMatchObject({ status: 0, stdout: help.stdout, stderr: '' });
    const names = [...help.stdout.matchAll(/^ {2}estampe ([a-z]+) /gm)].map(([, name]) => name);
    expect(names.length).toBe(11);
    for (const name of names) {
      const page = estampe(name, '--help');
      expect(page).toMatchObject({
        status: 0,
        stderr: '',
        stdout: expect.stringMatching(/^estampe [\s\S]*Options:[\s\S]*Example:\n {2}estampe [\s\S]*More: docs\/[a-z-]+\.md\n$/) as string,
      });
      expect(page.stdout.startsWith(`estampe ${name} `)).toBe(true);
      expect(existsSync(join(__dirname, '../../..', /More: (\S+)/.exec(page.stdout)?.[1] ?? ''))).toBe(true);
      // all its options are known to the command
      const options = [...new Set(page.stdout.match(/--[a-z-]+/g))].filter((option) => option !== '--json');
      expect(estampe(name, ...options.map((option) => `${option}=1`)).stderr).not.toMatch(/Unknown option/);
    }
    expect(estampe('proof', '--low', 'low.obj', '-h').stdout).toMatch(/^estampe proof --low LOW/);
    const run = spawnSync('sh', ['-c', `"${process.execPath}" "${BIN}" --help | true`], { cwd: dir, encoding: 'utf8' });
    expect(run.stderr).toBe('');
  });

  it('lets options win over attributes and says that they differ', () => {
    const run = estampe('proof', '--low', 'low.obj', '--map', 'map.tif', '--sculpt', 'high.obj', '--scale', '2');
    expect(run.status).toBe(0);
    expect(run.stderr).toMatch(/^warning: map\.tif: scale is 2 by the option but 1 by the file's attribute/);
    expect((run.json as { distance: { rms: number } }).distance.rms).toBeCloseTo(0.25, 4);
  });
});

describe('normal maps', () => {
  // z = 0.1 x - 0.2 y: one normal everywhere
  const n = [-0.1, 0.2, 1].map((x) => x / Math.hypot(0.1, 0.2, 1));
  beforeAll(() => {
    put('low.obj', planeObj(2, 0));
    const tilted = planeObj(16, 0).replace(
      /^v (\S+) (\S+) 0$/gm,
      (_, x: string, y: string) => `v ${x} ${y} ${0.1 * Number(x) - 0.2 * Number(y)}`,
    );
    put('tilted.obj', tilted);
  });
  const code = (x: number): number => Math.floor(((x + 1) / 2) * 65535 + 0.5);

  it('go from sculpt to file to proof, in tangent and object space, green up and down', () => {
    for (const frame of ['mikk', 'object']) {
      const extract = estampe('extract', '--low', 'low.obj', '--sculpt', 'tilted.obj', '--map', 'normal', '--frame', frame, '--base', 'polygons', '--size', '32', '-o', 'n.exr'); // prettier-ignore
      expect(extract.json).toMatchObject({ covered: 1024, missed: 0, match: 'stack', frame, normalSource: 'parameter', rays: 0 });
      expect(estampe('encode', 'n.exr', '-o', 'n.png', '--depth', '16').json).toMatchObject({ midpoint: 0.5, scale: 2, green: 'up', restError: expect.closeTo(0, 4) as number }); // prettier-ignore
      const text = tool('oiiotool', '--stats', 'n.png');
      expect(text).toMatch(new RegExp(`Stats Min: ${code(n[0])} ${code(n[1])} ${code(n[2])} `));
      const proof = estampe('proof', '--low', 'low.obj', '--map', 'n.png', '--sculpt', 'tilted.obj', '--tolerance', '0.01');
      expect(proof.status).toBe(0);
      expect(proof.json).toMatchObject({ kind: 'normal', frame, distance: null, passed: true, missedShare: 0 });
      expect((proof.json['normalAngle'] as { mean: number }).mean).toBeLessThan(0.002);
      expect((proof.json['bareNormalAngle'] as { mean: number }).mean).toBeCloseTo((Math.atan(Math.hypot(0.1, 0.2)) * 180) / Math.PI, 3);
    }
    expect(estampe('encode', 'n.exr', '-o', 'down.png', '--depth', '16', '--green', 'down').json).toMatchObject({ green: 'down' });
    const wrong = estampe('proof', '--low', 'low.obj', '--map', 'down.png', '--sculpt', 'tilted.obj', '--green', 'up', '--tolerance', '1');
    expect(wrong.status).toBe(1);
    expect(wrong.stderr).toMatch(/green is up by the option but down by the file's attribute/);
    expect((wrong.json['normalAngle'] as { mean: number }).mean).toBeCloseTo((2 * Math.asin(n[1]) * 180) / Math.PI, 1);
  });

  it('are read as they are where the field itself is given, and by what the map was measured with', () => {
    const field = estampe('proof', '--low', 'low.obj', '--map', 'n.exr', '--sculpt', 'tilted.obj', '--tolerance', '0.01');
    expect([field.status, field.stderr]).toEqual([0, '']);
    expect((field.json['normalAngle'] as { mean: number }).mean).toBeLessThan(0.001);
    // raised by 0.25, measured with a reach that finds it, proven by the same
    put('free.obj', planeObj(15, 0.25));
    const near = ['--low', 'low.obj', '--sculpt', 'free.obj'];
    for (const [reach, missed] of [['0.3', 0], ['0.2', 1]] as const) {
      estampe('extract', ...near, '--map', 'normal', '--for-heights', '--size', '16', '--reach', reach, '-o', 'r.exr');
      estampe('encode', 'r.exr', '-o', 'r.png');
      const proof = estampe('proof', ...near, '--map', 'r.png', '--tolerance', '1');
      expect(proof.json).toMatchObject({ unmatchedShare: missed, missedShare: missed, passed: missed === 0 ? true : null });
      expect(proof.stdout).toMatch(missed === 0 ? /Good to pull/ : /there is no verdict/);
    }
  }); // prettier-ignore

  it('refuse what makes no sense', () => {
    const bad = (...args: string[]): unknown => [estampe(...args).status, (estampe(...args).json['error'] as { code: string }).code];
    expect(bad('encode', 'n.exr', '-o', 'x.png', '--fit', 'full')).toEqual([2, 'BAD_OPTION']);
    expect(bad('encode', 'n.exr', '-o', 'x.png', '--keep-blue', 'no')).toEqual([2, 'BAD_OPTION']); // object space
    expect(bad('extract', '--low', 'low.obj', '--sculpt', 'tilted.obj', '--map', 'occlusion', '--fit-texels', '-o', 'x.exr')).toEqual([2, 'BAD_OPTION']); // prettier-ignore
    expect(bad('proof', '--low', 'low.obj', '--map', 'n.png', '--sculpt', 'tilted.obj', '--tolerance', '1%')).toEqual([2, 'BAD_OPTION']);
  });
});

describe('every measured kind', () => {
  const VECTOR = ['--low', 'low.obj', '--sculpt', 'sheared.obj'];
  beforeAll(() => {
    put('low.obj', planeObj(2, 0));
    // pushed along u as well as up: no height can say that
    const sheared = planeObj(16, 0.25).replace(
      /^v (\S+) (\S+) (\S+)$/gm,
      (_, x: string, y: string, z: string) => `v ${Number(x) + 0.5} ${y} ${z} 0.2 0.4 ${Number(x) / 4}`,
    );
    put('sheared.obj', sheared);
  });

  it('vectors go from sculpt to file to proof in every space, by the file alone, and an axis order wins over it with a warning', () => {
    const cases = [
      ['derivative', 'R=+U G=+V B=+N', 'R=-N G=+U B=-V', [0.5, 0, 0.25]],
      ['mikk', 'R=+U G=+V B=+N', 'R=+V G=-U B=+N', [0.5, 0, 0.25]],
      ['object', 'R=+X G=+Y B=+Z', 'R=+X G=+Z B=-Y', [0.5, 0, 0.25]],
    ] as const;
    for (const [frame, plain, axes, way] of cases) {
      const extract = estampe('extract', ...VECTOR, '--map', 'vector', '--frame', frame, '--size', '32', '-o', 'v.exr');
      expect(extract.status).toBe(0);
      expect(extract.json).toMatchObject({ match: 'stack', rays: 0, missed: 0, frame });
      for (const end of ['min', 'max']) (extract.json[end] as number[]).forEach((x, k) => expect(x).toBeCloseTo(way[k], 5));
      const encode = estampe(
        'encode',
        'v.exr',
        '-o',
        'v16.tif',
        '--depth',
        '16',
        '--axes',
        axes,
        '--ranges',
        frame === 'mikk' ? 'each' : 'shared',
      );
      expect(encode.json).toMatchObject({ kind: 'vector', axes, clippedShare: 0 });
      expect(encode.json['min']).toHaveLength(3);
      const prove = (...more: string[]): Run =>
        estampe('proof', ...VECTOR, '--map', 'v16.tif', '--field', 'v.exr', '--tolerance', '0.001', ...more);
      const proof = prove();
      expect(proof.status).toBe(0);
      expect(proof.json).toMatchObject({ kind: 'vector', frame, passed: true, foldShare: 0, reachedShare: 1 });
      // as the picture of a wrong axis order: the light mesh bursts
      const wrong = prove('--axes', plain);
      expect(wrong.status).toBe(1);
      expect(wrong.stderr).toMatch(/axes is .* by the option but .* by the file's attribute/);
    }
  });

  it('values of the surface: open, straight, unhollowed, and the colours as they are stored', () => {
    for (const [kind, expected, more] of [
      ['occlusion', [1], ['--rays', '16', '--distance', '2', '--seed', '7']],
      ['curvature', [0], ['--radius', '0.5']],
      ['hollows', [0], ['--radius', '0.5']],
    ] as const) {
      const run = estampe('extract', ...VECTOR, '--map', kind, '--size', '32', '-o', 'k.exr', ...more);
      expect(run.json).toMatchObject({ min: expected[0], max: expected[0], covered: 1024 });
      const encode = estampe('encode', 'k.exr', '-o', 'k.png', '--depth', '8');
      expect(encode.json).toMatchObject({ kind, clippedShare: 0, axes: null });
    }
    const colour = estampe('extract', ...VECTOR, '--map', 'colour', '--colour-space', 'linear', '--size', '32', '-o', 'c.exr');
    expect(tool('exrheader', 'c.exr')).toMatch(/B, 32-bit[^]*G, 32-bit[^]*R, 32-bit/);
    expect((colour.json['min'] as number[])[0]).toBeCloseTo(0.2, 6);
    expect((colour.json['max'] as number[])[2]).toBeGreaterThan(0.95);
    expect(estampe('encode', 'c.exr', '-o', 'c.png', '--depth', '8').json).toMatchObject({ kind: 'colour', midpoint: 0, scale: 1 });
    expect(tool('oiiotool', '--stats', 'c.png')).toMatch(/Stats Min: 51 102 [0-9]+ /);
    expect(JSON.parse(readFileSync(join(dir, 'c.png.json'), 'utf8'))).toMatchObject({ 'estampe:colourSpace': 'linear' });
  });

  it('all of them go into a delivery, those that move proven, the others read back', () => {
    const maps = ['scalar', 'vector', 'normal', 'occlusion', 'curvature', 'hollows', 'colour'].map((kind) => ({ kind, size: 32, ...(kind === 'vector' ? { axes: 'R=+U G=+N B=+V' } : {}) })); // prettier-ignore
    put('kinds.json', JSON.stringify({ asset: 'Slab', low: 'low.obj', sculpt: 'sheared.obj', maps }));
    const run = estampe('deliver', 'kinds.json', '-o', 'kinds');
    expect(run.status).toBe(0);
    const { manifest } = run.json as { manifest: { maps: { kind: string; space: string; axes: string | null; proof: { kind: string; report: { difference?: { max: number } } } }[] } }; // prettier-ignore
    expect(manifest.maps.map((m) => [m.kind, m.proof.kind])).toEqual([
      ['scalar', 'scalar'], ['vector', 'vector'], ['normal', 'normal'], ['occlusion', 'values'], ['curvature', 'values'], ['hollows', 'values'], ['colour', 'values'],
    ]); // prettier-ignore
    expect(manifest.maps[1]).toMatchObject({ space: 'derivative', axes: 'R=+U G=+N B=+V' });
    expect(manifest.maps[6].proof.report.difference?.max).toBeLessThan(1 / 65535);
    const sheet = readFileSync(join(dir, 'kinds/slab_v001/set-up-sheet.html'), 'utf8');
    for (const words of ['Vector displacement, tangent space', 'red along U, green along the normal, blue along V', 'Occlusion: how open'])
      expect(sheet).toContain(words);
  });

  it.each<[string, string[], RegExp]>([
    ['a frame for heights', ['extract', ...VECTOR, '--map', 'scalar', '--frame', 'object', '-o', 'x.exr'], /a scalar map has no frame/],
    ['a derivative frame for normals', ['extract', ...VECTOR, '--map', 'normal', '--frame', 'derivative', '-o', 'x.exr'], /mikk or object/],
    ['a radius for colours', ['extract', ...VECTOR, '--map', 'colour', '--radius', '1', '-o', 'x.exr'], /not averaged over a ball/],
    [
      'colours of a bare sculpt',
      ['extract', '--low', 'low.obj', '--sculpt', 'high.obj', '--map', 'colour', '-o', 'x.exr'],
      /no point colours/,
    ],
    ['axes of a height map', ['encode', 'field.exr', '-o', 'x.tif', '--axes', 'R=+U G=+V B=+N'], /only a vector map has an axis order/],
    ['letters of another space', ['encode', 'v.exr', '-o', 'x.tif', '--axes', 'R=+U G=+V B=+N'], /components are X, Y, Z, not U/],
    ['a field of another kind', ['proof', ...VECTOR, '--map', 'v16.tif', '--field', 'field.exr'], /kind is scalar and the map's is vector/],
    [
      'a field in another frame',
      ['proof', ...VECTOR, '--map', 'v16.tif', '--field', 'v.exr', '--frame', 'mikk', '--axes', 'R=+U G=+V B=+N'],
      /frame is object and the map's is mikk/,
    ],
    ['a proof of openness', ['proof', ...VECTOR, '--map', 'k.png'], /displaces nothing/],
  ])('refuses %s in one line', (_, args, line) => {
    const { status, stderr } = estampe(...args);
    expect([status, stderr.trim().split('\n').length]).toEqual([2, 1]);
    expect(stderr).toMatch(line);
    expect(existsSync(join(dir, 'x.exr')) || existsSync(join(dir, 'x.tif'))).toBe(false);
  });
});

describe('a delivery', () => {
  const recipe = {
    asset: 'Harbour Bell', unit: 'mm', low: 'meshes/low.obj', sculpt: 'meshes/high.obj', tolerance: '0.1%', withSculpt: true,
    maps: [{ kind: 'scalar', size: 64 }, { kind: 'scalar', size: 64, depth: 'half' }, { kind: 'normal', size: 64, depth: '8', fileType: 'png' }],
  }; // prettier-ignore
  beforeAll(() => {
    mkdirSync(join(dir, 'meshes'), { recursive: true });
    put('meshes/low.obj', planeObj(2, 0));
    put('meshes/high.obj', planeObj(16, 0.25));
    put('recipe.json', JSON.stringify(recipe));
  });

  it('holds mesh, maps, manifest and sheet; is proven again from its zip alone with the same figures; is never overwritten', async () => {
    const first = estampe('deliver', 'recipe.json', '-o', 'out');
    expect(first.status).toBe(0);
    const names = readdirSync(join(dir, 'out/harbour-bell_v001')).sort();
    expect(names).toEqual([
      'harbour-bell_L0.obj', 'harbour-bell_normal_L0-L3_8i.png', 'harbour-bell_normal_L0-L3_8i.png.json', 'harbour-bell_scalar_L0-L3_16f.exr', 'harbour-bell_scalar_L0-L3_16f.exr.json',
      'harbour-bell_scalar_L0-L3_16i.tif', 'harbour-bell_scalar_L0-L3_16i.tif.json', 'harbour-bell_sculpt.obj', 'manifest.json', 'set-up-sheet.html',
    ]); // prettier-ignore
    expect(readFileSync(join(dir, 'out/harbour-bell_v001/harbour-bell_L0.obj'), 'utf8')).toMatch(/\nf 1\/1 2\/2 5\/5 4\/4\n/);

    await unzipTo(join(dir, 'unzipped'), readFileSync(join(dir, 'out/harbour-bell_v001.zip')));
    const folder = 'unzipped/harbour-bell_v001';
    for (const name of names) expect(readFileSync(join(dir, folder, name))).toEqual(readFileSync(join(dir, 'out/harbour-bell_v001', name)));
    const manifest = JSON.parse(readFileSync(join(dir, folder, 'manifest.json'), 'utf8')) as { maps: { files: { file: string }[]; proof: { report: Record<string, unknown> } }[] }; // prettier-ignore
    for (const map of manifest.maps) {
      const again = estampe('proof', '--low', `${folder}/harbour-bell_L0.obj`, '--map', `${folder}/${map.files[0].file}`, '--sculpt', `${folder}/harbour-bell_sculpt.obj`); // prettier-ignore
      for (const key of ['distance', 'undisplaced', 'normalAngle', 'seamGap'])
        if (map.proof.report[key] !== undefined) expect(again.json[key]).toEqual(map.proof.report[key]);
    }

    const before = readFileSync(join(dir, 'out/harbour-bell_v001.zip'));
    expect(estampe('deliver', 'recipe.json', '-o', 'out').json).toMatchObject({ folder: 'out/harbour-bell_v002' });
    expect(readFileSync(join(dir, 'out/harbour-bell_v001.zip'))).toEqual(before);
  });

  it('gives the sculpt with its UVs, though no map asks for them', () => {
    expect(estampe('convert', 'meshes/high.obj', '-o', 'meshes/high.ply').status).toBe(0);
    put('ply.json', JSON.stringify({ ...recipe, sculpt: 'meshes/high.ply', maps: [{ kind: 'scalar', size: 64 }] }));
    expect(estampe('deliver', 'ply.json', '-o', 'with-ply').status).toBe(0);
    const read = (path: string): string[] => readFileSync(join(dir, path), 'utf8').match(/^vt .*$/gm) ?? [];
    expect(read('with-ply/harbour-bell_v001/harbour-bell_sculpt.obj')).toHaveLength(read('meshes/high.obj').length);
  });

  it('refuses a recipe by the place that is wrong, and leaves nothing behind', () => {
    const cases: [object, RegExp][] = [
      [{ ...recipe, maps: [] }, /maps/],
      [{ ...recipe, maps: [{ kind: 'scalar', size: 64, depth: '8', fileType: 'exr' }] }, /maps\.0: exr cannot hold depth 8/],
      [{ ...recipe, polish: true }, /polish/],
      [{ ...recipe, low: 'gone.obj' }, /gone\.obj/],
    ];
    for (const [value, line] of cases) {
      put('bad.json', JSON.stringify(value));
      const run = estampe('deliver', 'bad.json', '-o', 'bad-out');
      expect(run.status).toBe(2);
      expect(run.stderr).toMatch(line);
      expect(existsSync(join(dir, 'bad-out'))).toBe(false);
    }
  });
});

describe('a light mesh that has changed', () => {
  it('is compared with an earlier one: how many points, how far, where', () => {
    put('earlier.obj', planeObj(4, 0));
    put('now.obj', planeObj(4, 0).replace('v 2 2 0', 'v 2 2 0.125'));
    const run = estampe('check', 'now.obj', '--before', 'earlier.obj');
    expect(run.status).toBe(0);
    expect(run.stdout).toMatch(/points-moved: 1 point moved by up to 0\.125 units \(2\.2 % of the diagonal\), farthest at 2 2 0\.125/);
    expect(estampe('check', 'earlier.obj', '--before', 'earlier.obj').stdout).not.toContain('points-moved');
    put('other.obj', planeObj(3, 0));
    const other = estampe('check', 'other.obj', '--before', 'earlier.obj');
    expect(other.status).toBe(2);
    expect(other.stderr).toMatch(/other\.obj has other points or polygons than earlier\.obj/);
  });
});

describe('a proof that cannot be kept', () => {
  it('says what stands in the way, and where it is worst', () => {
    put('low.obj', planeObj(2, 0));
    put('high.obj', planeObj(16, 0.25));
    estampe('extract', '--low', 'low.obj', '--sculpt', 'high.obj', '--map', 'scalar', '--size', '64', '-o', 'field.exr');
    estampe('encode', 'field.exr', '-o', 'clipped.tif', '--depth', '16', '--midpoint', 'exact', '--scale', '0.1');
    const run = estampe(
      'proof',
      '--low',
      'low.obj',
      '--map',
      'clipped.tif',
      '--sculpt',
      'high.obj',
      '--field',
      'field.exr',
      '--tolerance',
      '0.001',
    );
    expect(run.status).toBe(1);
    expect((run.json['advice'] as { code: string }[]).map((a) => a.code)).toEqual(['clipped']);
    expect(run.stdout).toMatch(/100 % of the texels are cut off by the range; raise the scale/);
    const worst = run.json['worst'] as { error: number; position: number[] }[];
    expect(Math.abs(worst[0].error)).toBeCloseTo(0.2, 4); // 0.25 asked for, 0.05 is all that can be stored
    expect(worst.length).toBeGreaterThan(3);
  });
});

describe('bad input', () => {
  const extract = (low: string, high: string, ...more: string[]): Run =>
    estampe('extract', '--low', low, '--sculpt', high, '--map', 'scalar', '--size', '16', '-o', 'out.exr', ...more);
  beforeAll(() => {
    put('ok.obj', planeObj(2, 0));
    put('high.obj', planeObj(16, 0.25));
    put('empty.obj', '');
    put('cut.obj', planeObj(2, 0).slice(0, -9));
    put('prose.obj', 'Dear all,\nthis is no mesh.\n'.repeat(20));
    put('range.obj', `${planeObj(2, 0)}f 1 2 99\n`);
    put('nan.obj', planeObj(2, 0).replace('v 0 0 0', 'v 0 nan 0'));
    put('huge.obj', planeObj(2, 0).replace('v 2 0 0', 'v 1e400 0 0'));
    put('bare.obj', planeObj(2, 0, { uvs: false }));
    put('far.obj', planeObj(16, 900));
  });

  it.each<[string, () => Run, string, RegExp]>([
    ['an empty file', () => extract('empty.obj', 'high.obj'), 'EMPTY_FILE', /empty\.obj/],
    ['a truncated file', () => extract('cut.obj', 'high.obj'), 'TRUNCATED', /cut\.obj:\d+/],
    ['a file that is no OBJ', () => extract('prose.obj', 'high.obj'), 'NOT_THIS_FORMAT', /prose\.obj/],
    ['an index out of range', () => extract('ok.obj', 'range.obj'), 'INDEX_OUT_OF_RANGE', /range\.obj:23.*point 99/],
    ['NaN', () => extract('nan.obj', 'high.obj'), 'BAD_NUMBER', /nan\.obj:1/],
    ['1e400', () => extract('huge.obj', 'high.obj'), 'BAD_NUMBER', /huge\.obj:2.*1e400/],
    ['no UVs', () => extract('bare.obj', 'high.obj'), 'NO_UVS', /unwrap/],
    ['from equal to to', () => extract('ok.obj', 'ok.obj'), 'SAME_SURFACE', /same surface/],
    ['no overlap', () => extract('ok.obj', 'far.obj'), 'NO_OVERLAP', /overlap/],
    ['a missing file', () => extract('gone.obj', 'high.obj'), 'NOT_FOUND', /gone\.obj/],
    ['an absurd size', () => extract('ok.obj', 'high.obj', '--size', '9999999'), 'BAD_OPTION', /size/],
    ['an unknown option', () => extract('ok.obj', 'high.obj', '--colour', 'blue'), 'BAD_OPTION', /colour/],
    ['a field that is no EXR', () => estampe('encode', 'ok.obj', '-o', 'out.tif'), 'NOT_THIS_FORMAT', /ok\.obj/],
    [
      'a depth that the file cannot hold',
      () => estampe('encode', 'ok.obj', '-o', 'out.png', '--depth', 'float'),
      'BAD_OPTION',
      /png cannot hold/,
    ],
    ['a command that is not there', () => estampe('polish'), 'BAD_OPTION', /polish/],
  ])('%s: exit 2, one line, no output', (_, run, code, line) => {
    const { status, stderr, json } = run();
    expect(status).toBe(2);
    expect(stderr.trim().split('\n')).toHaveLength(1);
    expect(stderr).toMatch(line);
    expect(json['error']).toMatchObject({ code });
    for (const name of ['out.exr', 'out.exr.json', 'out.tif', 'out.png']) expect(existsSync(join(dir, name))).toBe(false);
  });
});
