import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { nodeZlib } from '@estampe/node';
import { readPng } from '../../../packages/core/src/formats/png';
import { planeObj, workplace } from './harness';

const { dir, put, estampe } = workplace();
/** Two quads side by side that share no point, the second the other way round, its UVs two tiles to the left; and a speck. */
const BROKEN =
  'v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 1 0 0\nv 2 0 0\nv 2 1 0\nv 1 1 0\nv 9 9 9\nv 9.1 9 9\nv 9 9.1 9\n' +
  'vt 0.1 0.1\nvt 0.3 0.1\nvt 0.3 0.3\nvt 0.1 0.3\nvt -1.6 0.1\nvt -1.4 0.1\nvt -1.4 0.3\nvt -1.6 0.3\n' +
  'f 1/1 2/2 3/3 4/4\nf 8/8 7/7 6/6 5/5\nf 9/1 10/2 11/3\n';

describe('estampe convert', () => {
  it('goes through every format and back: what all of them hold is the same', () => {
    put('plane.obj', planeObj(4, 0.25));
    const chain = ['plane.obj', 'a.ply', 'b.usda', 'c.usdz', 'd.ply', 'plane-again.obj'];
    for (let i = 1; i < chain.length; i++) expect(estampe('convert', chain[i - 1], '-o', chain[i]).status).toBe(0);
    expect(readFileSync(join(dir, 'd.ply')).equals(readFileSync(join(dir, 'a.ply')))).toBe(true);
    const stl = estampe('convert', 'plane.obj', '-o', 'plane.stl');
    expect(stl.json).toMatchObject({ faces: 16, lost: expect.stringMatching(/STL cannot hold .*UVs/) as string });
    expect(estampe('check', 'plane.stl').json).toMatchObject({ faces: 32, points: 25 });
    expect(estampe('convert', 'plane.obj', '-o', 'plane.glb').status).toBe(0);
    expect(estampe('check', 'plane.glb').json).toMatchObject({ faces: 32, points: 25, tiles: [1001] });
  });

  it('mends what it is asked to mend, and says how much', () => {
    put('broken.obj', BROKEN);
    const all = ['--weld', 'auto', '--drop-pieces', '0.9', '--turn-flipped', '--shift-islands'];
    const { status, json } = estampe('convert', 'broken.obj', '-o', 'mended.obj', ...all);
    expect(status).toBe(0);
    expect(json).toMatchObject({ points: 6, faces: 2, mends: { welded: 2, piecesDropped: 1, turned: 1, islandsShifted: 1 } });
    expect((estampe('check', 'mended.obj').json as unknown as { findings: { code: string }[] }).findings.map((f) => f.code)).toEqual([
      'holes',
    ]);
    expect(readFileSync(join(dir, 'broken.obj'), 'utf8')).toBe(BROKEN);
  });

  it('splits all faces once where some are no quads', () => {
    put('fan.obj', 'v 0 0 0\nv 1 0 0\nv 1 1 0\nf 1 2 3\n');
    expect(estampe('convert', 'fan.obj', '-o', 'quads.obj', '--refine-once').json).toMatchObject({
      points: 7,
      faces: 3,
      mends: { facesMadeQuads: 1 },
    });
  });

  it('refuses a format that is not written, before it reads anything', () => {
    for (const out of ['x.fbx', 'x.usdc', 'x']) {
      const { status, stderr } = estampe('convert', 'missing.obj', '-o', out);
      expect([status, stderr]).toEqual([2, expect.stringMatching(/does not end like a format that is written \(glTF, OBJ, PLY/)]);
    }
  });
});

describe('estampe unwrap', () => {
  it('gives a mesh new UVs, says what they are like, and touches nothing else', () => {
    put('sheet.obj', planeObj(4, 0.25));
    const { status, json } = estampe('unwrap', 'sheet.obj', '-o', 'unwrapped.obj', '--size', '1024', '--margin', '4');
    expect(status).toBe(0);
    expect(json).toMatchObject({ faces: 16, islands: 1, overlap: 0, addedSeams: 0, smallestGap: null, tiles: [1001] });
    const { use, stretch } = json as unknown as { use: number; stretch: { rms: number } };
    expect([use > 0.85, stretch.rms < 1.01]).toEqual([true, true]);
    const points = (name: string): string[] => readFileSync(join(dir, name), 'utf8').split('\n').filter((line) => line.startsWith('v ')); // prettier-ignore
    expect(points('unwrapped.obj')).toEqual(points('sheet.obj'));
    put('seams.json', JSON.stringify({ edges: [0, 1, 2, 3].map((i) => [10 + i, 11 + i]) }));
    expect(estampe('unwrap', 'sheet.obj', '-o', 'w.obj', '--weights', 'head=2')).toMatchObject({ status: 2, stderr: expect.stringContaining("no group 'head'") as string }); // prettier-ignore
    expect(estampe('unwrap', 'sheet.obj', '-o', 'w.obj', '--weights', 'head')).toMatchObject({ status: 2, stderr: expect.stringContaining('no GROUP=WEIGHT') as string }); // prettier-ignore
    expect(estampe('unwrap', 'sheet.obj', '-o', 'two.ply', '--seams', 'seams.json').json).toMatchObject({ islands: 2 });
  });

  it('draws the islands for painters: filled by group, named, nothing outside', async () => {
    put(
      'halves.obj',
      planeObj(4, 0.25)
        .replace(/^f /m, 'g left\nf ')
        .replace(/(^f .*\n){8}/m, (faces) => `${faces}g right\n`),
    );
    const { status, stderr } = estampe('unwrap', 'halves.obj', '-o', 'laid.obj', '--size', '256', '--margin', '8', '--layout', 'laid.png');
    expect([status, stderr]).toEqual([0, '']);
    const { width, height, channels, values } = await readPng(readFileSync(join(dir, 'laid.png')), nodeZlib);
    const data = values.map((x) => Math.round(255 * x));
    expect([width, height, channels]).toEqual([256, 256, 4]);
    const at = (x: number, y: number): number[] => [...data.subarray(4 * (y * 256 + x), 4 * (y * 256 + x) + 4)];
    expect(at(1, 1)[3]).toBe(0); // the margin
    const colours = new Map<string, number>();
    for (let i = 0; i < data.length; i += 4) {
      const key = data.subarray(i, i + 4).join(' ');
      colours.set(key, (colours.get(key) ?? 0) + 1);
    }
    // two fills of the same size cover most of the tile
    const fills = [...colours].filter(([key, n]) => key.endsWith(' 255') && n > 5000).map(([, n]) => n);
    expect(fills).toHaveLength(2);
    expect(fills[0] / fills[1]).toBeCloseTo(1, 1);
    expect(estampe('unwrap', 'halves.obj', '-o', 'l2.obj', '--tiles', '2', '--layout', 'laid2.png')).toMatchObject({ status: 2, stderr: expect.stringContaining('<UDIM>') as string }); // prettier-ignore
  });

  it('refuses seams that are none, and an output over its input', () => {
    put('sheet.obj', planeObj(2, 0));
    put('odd.json', '{ "edges": [[0, 8]] }');
    const refusals = [['--seams', 'odd.json'], ['--seams', 'none.json'], ['--margin', '-1'], ['--size', '3']].map((o) => estampe('unwrap', 'sheet.obj', '-o', 'x.obj', ...o)); // prettier-ignore
    expect(refusals.map(({ status }) => status)).toEqual([2, 2, 2, 2]);
    expect(refusals[0].stderr).toMatch(/from point 0 to 8, where the mesh has no edge/);
    expect(estampe('unwrap', 'sheet.obj', '-o', 'sheet.obj').status).toBe(2);
  });
});
