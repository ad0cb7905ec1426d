import type { PolyMesh } from '../src';
import { checkMesh } from '../src';
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

  it('sees islands that overlap, and not islands that only touch', () => {
    const square = (u: number): number[][] => [[u, 0], [u + 0.4, 0], [u + 0.4, 0.4], [u, 0.4]]; // prettier-ignore
    const points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 2], [1, 0, 2], [1, 1, 2], [0, 1, 2]]; // prettier-ignore
    const two = (second: number): PolyMesh => meshOf(points, [[0, 1, 2, 3], [4, 5, 6, 7]], [...square(0), ...square(second)]); // prettier-ignore
    expect(codes(two(0.4))['uv-overlap']).toBeUndefined();
    expect(codes(two(0.3))['uv-overlap']).toBe(2);
    expect(codes(two(0.8))['uv-across-tiles']).toBe(1);
  });
});
