import { harbourBellBase, kelpHoldfastBase, mooringBuoy } from '@estampe/demo';
import type { PolyMesh } from '../src';
import { CancelledError, recoverLevels } from '../src';
import { refineLevels } from '../src/subdivision/refine';
import { gathered, restored } from '../src/mesh/nearby-order';
import { NAMED_MESHES } from './named-meshes';
import { known, plane, shuffled } from './shapes';

const size = (mesh: PolyMesh): number => mesh.positions.reduce((most, x) => Math.max(most, Math.abs(x)), 0);

/** Faces as sets of another mesh's points, each point by the nearest of them. */
function facesIn(of: PolyMesh, mesh: PolyMesh): string[] {
  const P = of.positions.length / 3;
  const distance2 = (a: number, b: number): number =>
    [0, 1, 2].reduce((s, k) => s + (mesh.positions[3 * a + k] - of.positions[3 * b + k]) ** 2, 0);
  const nearest = Array.from({ length: mesh.positions.length / 3 }, (_, v) => {
    let best = 0;
    for (let w = 1; w < P; w++) if (distance2(v, w) < distance2(v, best)) best = w;
    expect(Math.sqrt(distance2(v, best))).toBeLessThan(2e-6 * size(of));
    return best;
  });
  return Array.from({ length: mesh.faceOffsets.length - 1 }, (_, f) =>
    Array.from(mesh.faceVerts.subarray(mesh.faceOffsets[f], mesh.faceOffsets[f + 1]), (v) => nearest[v])
      .sort((x, y) => x - y)
      .join(' '),
  ).sort();
}

const BASES: Readonly<Record<string, PolyMesh>> = {
  ...Object.fromEntries(
    ['sheet of nine islands', 'sheet with a hole', 'sheet of triangles', 'five quads around', 'cube in six islands', 'tetrahedron', 'torus', 'open ring', 'two pieces', 'two cubes that share an edge', 'one flipped face in a sheet'].map((name) => [name, NAMED_MESHES[name]]),
  ), // prettier-ignore
  bell: harbourBellBase(),
  holdfast: kelpHoldfastBase(),
};

describe('recovering coarse levels', () => {
  it.each(Object.entries(BASES))('finds the base of a %s again, from two levels above, also in another order', (_, base) => {
    const dense = refineLevels(base, 2).mesh;
    const { levels } = recoverLevels(dense, 2);
    const found = levels[1].mesh;
    expect([found.faceVerts, found.faceOffsets, found.faceSections]).toEqual([base.faceVerts, base.faceOffsets, base.faceSections]);
    const off = found.positions.reduce((most, x, i) => Math.max(most, Math.abs(x - base.positions[i])), 0);
    expect(off).toBeLessThan(1e-6 * size(base));
    expect(levels[0].residual).toBeLessThan(1e-6 * size(base));
    if (base.uvs !== null)
      found.faceUvs?.forEach((t, c) => {
        const own = base.faceUvs?.[c] ?? 0;
        for (let k = 0; k < 2; k++) expect(Math.abs((found.uvs?.[2 * t + k] ?? 0) - (base.uvs?.[2 * own + k] ?? 0))).toBeLessThan(1e-6);
      });
    const mixed = recoverLevels(shuffled(dense, 3), 2);
    expect(mixed.levels).toHaveLength(2);
    expect(facesIn(base, mixed.levels[1].mesh)).toEqual(facesIn(base, base));
  });

  it('fits a sculpted level, and says what was done to it', () => {
    const levels = mooringBuoy(2);
    const found = recoverLevels(levels[2], 2).levels;
    expect(found.map(({ mesh }) => mesh.faceVerts)).toEqual([1, 0].map((k) => levels[k].faceVerts));
    expect(found[0].residual).toBeGreaterThan(1e-3 * size(levels[2]));
  });

  it('walks through a large file in no order from neighbour to neighbour, and keeps its order', () => {
    const dense = shuffled(plane(300), 5);
    const near = gathered(dense);
    expect(near.points.subarray(0, 8)).not.toEqual(new Uint32Array(8).map((_, i) => i));
    expect(restored(near)).toEqual(dense);
    const { mesh } = recoverLevels(dense, 1).levels[0];
    expect(mesh.faceOffsets).toHaveLength(150 * 150 + 1);
    const place = (of: PolyMesh, v: number): string => [0, 1].map((k) => Math.round(300 * of.positions[3 * v + k])).join(' ');
    const inFile = new Map(Array.from({ length: 301 * 301 }, (_, v) => [place(dense, v), v]));
    const points = Array.from({ length: 151 * 151 }, (_, v) => known(inFile.get(place(mesh, v))));
    expect(points).toEqual([...points].sort((a, b) => a - b));
  });

  it('says why there is no coarser level', () => {
    expect(recoverLevels(NAMED_MESHES['octahedron'])).toEqual({ levels: [], stopped: 'face 0 has 3 corners, and refining leaves quads only' }); // prettier-ignore
    expect(recoverLevels(plane(3)).stopped).toMatch(/no refinement: its points cannot be told/);
    expect(recoverLevels(plane(12)).levels.map(({ mesh }) => mesh.faceOffsets.length - 1)).toEqual([36, 9]);
    expect(recoverLevels(NAMED_MESHES['sheet of nine islands']).levels).toEqual([]);
    expect(() => recoverLevels(plane(8), 2, {}, { signal: { aborted: true } })).toThrow(CancelledError);
  });
});
