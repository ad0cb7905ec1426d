import { kelpHoldfastBase, mooringBuoyBase } from '@estampe/demo';
import type { FileFacts, PolyMesh } from '../src';
import { boundsOf, connectivityCount, faceCount, madeOf, pointCount, polyMesh, refineLevels, sortFiles } from '../src';

const facts = (path: string, mesh: PolyMesh | null, aside = 0): FileFacts => {
  if (mesh === null) return { path, bytes: 5e8, mesh: null };
  const [x0, y0, z0, x1, y1, z1] = boundsOf(mesh.positions);
  const count = connectivityCount({ ...mesh, vertCount: pointCount(mesh) });
  return { path, bytes: 100, mesh: { faces: faceCount(mesh), count, box: [x0 + aside, y0, z0, x1 + aside, y1, z1] } };
};
/** The same surface as triangles: another connectivity. */
const inTriangles = (mesh: PolyMesh): PolyMesh => {
  const verts: number[] = [];
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f] + 1; c + 1 < mesh.faceOffsets[f + 1]; c++)
      verts.push(mesh.faceVerts[mesh.faceOffsets[f]], mesh.faceVerts[c], mesh.faceVerts[c + 1]);
  return polyMesh({
    positions: mesh.positions,
    faceVerts: Uint32Array.from(verts),
    faceOffsets: Uint32Array.from({ length: verts.length / 3 + 1 }, (_, i) => 3 * i),
  });
};
const buoy = mooringBuoyBase();
const kelp = kelpHoldfastBase();
const refined = (mesh: PolyMesh, n: number): PolyMesh => refineLevels(mesh, n).mesh;
const shown = (files: readonly FileFacts[]) => sortFiles(files).map(({ name, kind, files: members }) => [name, kind, ...members.map((i) => files[i].path)]); // prettier-ignore

/** An open sheet with a triangle and a pentagon among its quads, and a fin that stands on one of its edges. */
const ragged = polyMesh({
  positions: new Float32Array(30).map((_, i) => (i * 7) % 11),
  faceVerts: new Uint32Array([0, 1, 2, 3, 1, 4, 2, 2, 4, 5, 6, 3, 1, 2, 8, 7, 0, 3, 9]),
  faceOffsets: new Uint32Array([0, 4, 7, 12, 16, 19]),
});

describe('sorting files into parts', () => {
  it('knows levels by their connectivity whatever their names and places, with open borders, n-gons and fins', () => {
    for (const base of [buoy, kelp, ragged, inTriangles(kelp)]) {
      const files = [facts('x.obj', refined(base, 2), 50), facts('y.obj', base), facts('z.obj', refined(base, 1), -50)];
      expect(shown(files)).toEqual([['y', 'stack', 'y.obj', 'z.obj', 'x.obj']]);
    }
    expect(madeOf([facts('a.obj', refined(buoy, 1)), facts('b.obj', ragged)])).toEqual({ kind: 'free', files: [1, 0] });
  });

  it('gives the one mesh that is left the one file that is too large to be read, whatever their names', () => {
    expect(shown([facts('rough.ply', null), facts('wire.obj', kelp)])).toEqual([['wire', 'free', 'wire.obj', 'rough.ply']]);
    expect(shown([facts('rough.ply', null), facts('wire.obj', kelp), facts('knot.obj', buoy, 7e5)])).toHaveLength(3);
    expect(shown([facts('rough.ply', null), facts('wire.ply', null)])).toHaveLength(2);
  });

  it('puts a light mesh and its free sculpt together by their names, in folders too, then by their place', () => {
    const sculpt = inTriangles(refined(kelp, 1));
    expect(
      shown([
        facts('kelp/High.obj', sculpt),
        facts('rope_hi.obj', sculpt, 40000),
        facts('kelp/low.obj', kelp),
        facts('Rope-LOW.obj', kelp, 90000),
        facts('thing.ply', inTriangles(refined(buoy, 1)), 7e5),
        facts('other.ply', buoy, 7e5),
      ]),
    ).toEqual([
      ['kelp', 'free', 'kelp/low.obj', 'kelp/High.obj'],
      ['Rope', 'free', 'Rope-LOW.obj', 'rope_hi.obj'],
      ['other', 'free', 'other.ply', 'thing.ply'],
    ]);
  });

  it('tells two parts of one connectivity apart by name and place, and lets what is left stand alone', () => {
    expect(
      shown([
        facts('left_base.obj', buoy),
        facts('right level 2.obj', refined(buoy, 2), 3000),
        facts('right_base.obj', buoy, 3000),
        facts('left_level2.obj', refined(buoy, 2)),
        facts('chain.obj', kelp, -9e5),
      ]),
    ).toEqual([
      ['left', 'stack', 'left_base.obj', 'left_level2.obj'],
      ['right', 'stack', 'right_base.obj', 'right level 2.obj'],
      ['chain', 'alone', 'chain.obj'],
    ]);
  });

  it('goes by names alone for what was too large to be read, and gives no name twice', () => {
    expect(
      shown([facts('a/bell_sculpt.ply', null), facts('a/bell_low.ply', null), facts('b/bell.ply', null), facts('low.obj', buoy)]),
    ).toEqual([
      ['bell', 'free', 'a/bell_low.ply', 'a/bell_sculpt.ply'],
      ['bell 2', 'alone', 'b/bell.ply'],
      ['low', 'alone', 'low.obj'],
    ]);
    expect(madeOf([facts('p', buoy), facts('q', kelp), facts('r', inTriangles(kelp))])).toBeNull();
  });
});
