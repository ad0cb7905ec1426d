import type { PolyMesh } from '../src';
import { CancelledError, checkMesh } from '../src';
import { sculptFarFinding } from '../src/extract/sculpt-far';
import { spansStrandsFinding } from '../src/transfer/spans-strands';
import { NAMED_MESHES } from './named-meshes';
import { cube, meshOf, onSphere, plane } from './shapes';

const codes = (mesh: PolyMesh): Record<string, number> => Object.fromEntries(checkMesh(mesh).findings.map((f) => [f.code, f.count]));

describe('check', () => {
  it('finds nothing on a clean closed mesh, and one open border on a plane', () => {
    expect(codes(cube())).toEqual({});
    expect(codes(plane(3))).toEqual({ holes: 1 });
    expect(checkMesh(cube())).toMatchObject({ points: 8, faces: 6, tiles: [1001] });
  });

  it('ends, whatever the UVs and wherever the points', () => {
    const corners = [[0, 0], [1, 0], [1, 1], [0, 1]]; // prettier-ignore
    const square = meshOf([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2, 3]]); // prettier-ignore
    const withUvs = (mesh: PolyMesh, size: number): PolyMesh => ({ ...mesh, uvs: Float32Array.from(corners.flat(), (x) => size * x), faceUvs: mesh.faceVerts.map((_, c) => c % 4) }); // prettier-ignore
    for (const size of [1e6, 1e9, 1e30]) expect(codes(withUvs(square, size))).toMatchObject({ 'uv-outside-tiles': 1 });
    const oneplace = meshOf([[1, 1, 1], [1, 1, 1], [1, 1, 1], [1, 1, 1]], [[0, 1, 2, 3], [0, 1, 2, 3]]); // prettier-ignore
    expect(codes(withUvs(oneplace, 1))).toMatchObject({ 'zero-area': 2, 'uv-overlap': 2 });
  });

  it('counts what is wrong, with the faces concerned', () => {
    const points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 1], [1, 0, 1], [0, 0, -1], [1, 0, -1], [9, 0, 0], [9, 1, 0], [9, 2, 0], [0.5, 2, 0]]; // prettier-ignore
    const mesh = meshOf(points, [[0, 1, 2, 11, 3], [0, 1, 5, 4], [0, 1, 7, 6], [8, 9, 10]]); // prettier-ignore
    expect(codes(mesh)).toEqual({ 'no-uvs': 4, ngons: 1, pinching: 1, 'non-manifold': 1, holes: 2, 'loose-pieces': 2, 'zero-area': 1 });
    const faces = Object.fromEntries(checkMesh(mesh).findings.map((f) => [f.code, f.faces]));
    expect(faces).toMatchObject({ ngons: [0], 'non-manifold': [0, 1, 2], 'zero-area': [3], 'loose-pieces': [3], holes: [0, 1, 2, 3] });
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

  it('finds points that lie on others, within what it says, and not merely near ones', () => {
    const sheet = plane(4);
    const apart = (by: number): PolyMesh => {
      // one quad stands for itself, its corners moved by a little
      const positions = [...sheet.positions];
      const faceVerts = Uint32Array.from(sheet.faceVerts);
      for (let c = 0; c < 4; c++) {
        positions.push(...[0, 1, 2].map((k) => sheet.positions[3 * faceVerts[20 + c] + k] + (k === 2 ? by : 0)));
        faceVerts[20 + c] = positions.length / 3 - 1;
      }
      return { ...sheet, positions: Float32Array.from(positions), faceVerts };
    };
    expect(codes(apart(0))).toMatchObject({ 'doubled-points': 8 });
    expect(codes(apart(1e-6))).toMatchObject({ 'doubled-points': 8 });
    expect(codes(apart(1e-4))['doubled-points']).toBeUndefined();
    const found = checkMesh(apart(0)).findings.find((f) => f.code === 'doubled-points');
    expect(found?.faces).toContain(5);
  });

  it('names triangles among quads and points of many edges, and leaves meshes of triangles alone', () => {
    const fan = [[0, 0, 0], ...Array.from({ length: 8 }, (_, i) => [Math.cos((i * Math.PI) / 4), Math.sin((i * Math.PI) / 4), 0])];
    const triangles = Array.from({ length: 8 }, (_, i) => [0, 1 + i, 1 + ((i + 1) % 8)]);
    expect(codes(meshOf(fan, triangles))['pinching']).toBeUndefined();
    expect(codes(meshOf([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [2, 1, 0]], [[0, 1, 2, 3], [1, 4, 5], [1, 5, 2]]))['pinching']).toBeUndefined(); // prettier-ignore
    expect(codes(meshOf([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [2, 1, 0], [-1, 0, 0], [-1, 1, 0]], [[0, 1, 2, 3], [6, 0, 3, 7], [1, 4, 5]]))['pinching']).toBe(1); // prettier-ignore
    const star = Array.from({ length: 8 }, (_, i) => [0, 1 + i, 9 + i, 1 + ((i + 1) % 8)]);
    const outer = Array.from({ length: 8 }, (_, i) => [
      2 * Math.cos(((i + 0.5) * Math.PI) / 4),
      2 * Math.sin(((i + 0.5) * Math.PI) / 4),
      0,
    ]);
    expect(codes(meshOf([...fan, ...outer], star))['pinching']).toBe(8);
  });

  it('measures islands: turned faces, mirrored, stretched, uneven and near ones, each by what is stated', () => {
    const sheet = plane(4);
    const moved = (change: (u: number, v: number, i: number) => readonly [number, number]): PolyMesh => {
      const uvs = new Float32Array(50);
      for (let i = 0; i < 25; i++) uvs.set(change((sheet.uvs ?? [])[2 * i] ?? 0, (sheet.uvs ?? [])[2 * i + 1] ?? 0, i), 2 * i);
      return { ...sheet, uvs };
    };
    expect(codes(moved((u, v) => [1 - u, v]))).toEqual({ holes: 1, 'uv-mirrored': 1 });
    // the middle point pulled over its neighbours turns faces over
    expect(codes(moved((u, v, i) => (i === 12 ? [u + 0.6, v] : [u, v])))['uv-flipped']).toBe(2);
    expect(codes(moved((u, v) => [u, v / 3.9]))['uv-stretched']).toBeUndefined();
    expect(codes(moved((u, v) => [u, v / 4.1]))['uv-stretched']).toBe(16);
    // two squares of one size on the surface, the second with texels `scale` times as large, `gap` away in UV space
    const two = (scale: number, gap: number): PolyMesh => {
      const square = (u: number, side: number): number[][] => [[u, 0.1], [u + side, 0.1], [u + side, 0.1 + side], [u, 0.1 + side]]; // prettier-ignore
      const points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [0, 0, 2], [1, 0, 2], [1, 1, 2], [0, 1, 2], [0, 0, 4], [1, 0, 4], [1, 1, 4], [0, 1, 4]]; // prettier-ignore
      return meshOf(points, [[0, 1, 2, 3], [4, 5, 6, 7], [8, 9, 10, 11]], [...square(0.1, 0.2), ...square(0.3 + gap, 0.2 / scale), ...square(0.7, 0.2)]); // prettier-ignore
    };
    expect(codes(two(1.9, 0.1))['uv-uneven']).toBeUndefined();
    expect(codes(two(2.1, 0.1))['uv-uneven']).toBe(1);
    expect(codes(two(1, 2.5 / 2048))['uv-margin']).toBeUndefined();
    const near = checkMesh(two(1, 1.5 / 2048)).findings.find((f) => f.code === 'uv-margin');
    expect(near?.message).toMatch(/nearest 1\.5\)/);
    expect(near?.faces).toEqual([0, 1]);
    const wide = checkMesh(two(1, 9 / 1024), undefined, { size: 1024, gap: 16 }).findings.find((f) => f.code === 'uv-margin');
    expect(wide?.message).toMatch(/16 texels .* 1024 texels a side \(the nearest 9\)/);
  });

  it('says where a sculpt is another place or size than its light mesh, and nothing where it only is rougher', () => {
    const ball = onSphere(cube(), 1);
    const at = (by: number, scale = 1): PolyMesh => ({
      ...ball,
      positions: ball.positions.map((x, i) => scale * x + (i % 3 === 0 ? by : 0)),
    });
    expect(sculptFarFinding(at(0), at(0.1))).toBeNull();
    expect(sculptFarFinding(at(0), at(5))).toMatchObject({ code: 'sculpt-far', count: 6 });
    expect(sculptFarFinding(at(0), at(0, 10))).toMatchObject({ code: 'sculpt-far', severity: 'warning' });
    const more = { ...at(0), positions: Float32Array.from([...at(0).positions, ...at(3).positions]), faceOffsets: Uint32Array.from({ length: 13 }, (_, i) => 4 * i), faceVerts: Uint32Array.from([...ball.faceVerts, ...ball.faceVerts.map((v) => v + 8)]), faceSections: new Uint16Array(12), uvs: null, faceUvs: null }; // prettier-ignore
    expect(sculptFarFinding(at(0), more)?.message).toMatch(/^50 % of the sculpt/);
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

describe('a light mesh over strands', () => {
  const over = (height: (x: number, y: number) => number) => spansStrandsFinding(plane(4, 4), plane(256, 4, height));
  it('is told before a transfer, with the faces that span them; waves and one step are no strands', () => {
    const strands = (x: number): number => (Math.floor(2 * x) % 2 === 0 ? 0 : -0.3);
    expect(over(strands)).toMatchObject({ code: 'spans-strands', severity: 'warning', count: 16 });
    expect(over(strands)?.message).toMatch(/^16 faces of the light mesh span strands or deep folds of the sculpt/);
    // over the left half alone
    const left = over((x) => (x < 2 ? strands(x) : 0));
    expect(left?.faces.map((f) => f % 4)).toEqual([0, 1, 0, 1, 0, 1, 0, 1]);
    expect(over((x) => 0.3 * Math.sin(2 * x))).toBeNull();
    expect(over((x) => (x < 1.7 ? 0 : -0.3))).toBeNull();
  });
});
