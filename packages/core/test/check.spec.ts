import type { PolyMesh } from '../src';
import { CancelledError, checkMesh } from '../src';
import { NAMED_MESHES } from './named-meshes';
import { cube, meshOf, plane } from './shapes';

const codes = (mesh: PolyMesh): Record<string, number> => Object.fromEntries(checkMesh(mesh).findings.map((f) => [f.code, f.count]));

describe('check', () => {
  it('finds nothing on a clean closed mesh, and one open border on a plane', () => {
    expect(codes(cube())).toEqual({});
    expect(codes(plane(3))).toEqual({ holes: 1 });
    expect(checkMesh(cube())).toMatchObject({ points: 8, faces: 6, tiles: [1001] });
  });

  it('counts what is wrong, with the faces concerned', () => {
    const points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [0, 0, -1], [1, 0, -1], [9, 0, 0], [9, 1, 0], [9, 2, 0], [0.5, 2, 0]]; // prettier-ignore
    const mesh = meshOf(points, [[0, 1, 2, 11, 3], [0, 1, 5, 4], [0, 1, 7, 6], [8, 9, 10]]); // prettier-ignore
    expect(codes(mesh)).toEqual({ 'no-uvs': 4, ngons: 1, 'non-manifold': 1, holes: 2, 'loose-pieces': 2, 'zero-area': 1 });
    const faces = Object.fromEntries(checkMesh(mesh).findings.map((f) => [f.code, f.faces]));
    expect(faces).toMatchObject({ ngons: [0], 'non-manifold': [0, 1, 2], 'zero-area': [3] });
  });

  it('names points of several fans and faces that face against the rest, each once', () => {
    const found = (name: string): Record<string, number> => codes({ ...NAMED_MESHES[name], uvs: null, faceUvs: null });
    expect(found('bow-tie')).toMatchObject({ 'folded-fans': 1 });
    expect(found('three fans at a point')).toMatchObject({ 'folded-fans': 1 });
    expect(found('two cubes that share a point')).toMatchObject({ 'folded-fans': 1 });
    expect(found('two cubes that share an edge')).toMatchObject({ 'non-manifold': 1 });
    expect(found('two cubes that share an edge')['folded-fans']).toBeUndefined();
    expect(found('one flipped face in a sheet')).toMatchObject({ 'flipped-faces': 1 });
    expect(found('one flipped face in a sheet')['folded-fans']).toBeUndefined();
    const flipped = checkMesh(NAMED_MESHES['one flipped face in a sheet']).findings.find((f) => f.code === 'flipped-faces');
    expect(flipped?.faces).toEqual([4]);
    for (const name of ['cube', 'torus', 'sheet with a hole', 'five quads around']) {
      expect(found(name)['folded-fans']).toBeUndefined();
      expect(found(name)['flipped-faces']).toBeUndefined();
    }
  });

  it('sees islands that overlap, and not islands that only touch', () => {
    const square = (u: number): number[][] => [[u, 0], [u + 0.4, 0], [u + 0.4, 0.4], [u, 0.4]]; // prettier-ignore
    const points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 2], [1, 0, 2], [1, 1, 2], [0, 1, 2]]; // prettier-ignore
    const two = (second: number): PolyMesh => meshOf(points, [[0, 1, 2, 3], [4, 5, 6, 7]], [...square(0), ...square(second)]); // prettier-ignore
    expect(codes(two(0.4))['uv-overlap']).toBeUndefined();
    expect(codes(two(0.3))['uv-overlap']).toBe(2);
    expect(codes(two(0.8))['uv-across-tiles']).toBe(1);
  });

  it('stops counting faces that lie over the whole tile, and hears a cancel on the way', () => {
    const n = 2000;
    const points = Array.from({ length: 4 * n }, (_, i) => [i % 4 === 1 || i % 4 === 2 ? 1 : 0, i % 4 > 1 ? 1 : 0, Math.floor(i / 4)]);
    const faces = Array.from({ length: n }, (_, f) => [0, 1, 2, 3].map((k) => 4 * f + k));
    const stacked = meshOf(points, faces, Array.from({ length: n }, () => [[0, 0], [1, 0], [1, 1], [0, 1]]).flat()); // prettier-ignore
    let asked = 0;
    const signal = { get aborted() { return ++asked < 0; } }; // prettier-ignore
    const overlap = checkMesh(stacked, { signal }).findings.find((f) => f.code === 'uv-overlap');
    expect(overlap?.message).toMatch(/^at least \d+ faces sharing/);
    expect(asked).toBeLessThan(20); // four faces a look, not all two thousand
    const looks = asked;
    let left = looks - 1;
    expect(() => checkMesh(stacked, { signal: { get aborted() { return --left < 0; } } })).toThrow(CancelledError); // prettier-ignore
  });
});
