import { readFileSync } from 'node:fs';
import { join } from 'node:path';
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

  it('refuses a format that is not written, before it reads anything', () => {
    for (const out of ['x.fbx', 'x.usdc', 'x']) {
      const { status, stderr } = estampe('convert', 'missing.obj', '-o', out);
      expect([status, stderr]).toEqual([2, expect.stringMatching(/does not end like a format that is written \(glTF, OBJ, PLY/)]);
    }
  });
});
