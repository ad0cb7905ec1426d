import type { PolyMesh } from '../src';
import { refinedToQuads } from '../src/uv/refined-to-quads';
import { checkMesh, dropLoosePieces, faceCount, pointCount, shiftIslands, turnFlipped, weldPoints } from '../src';
import { NAMED_MESHES } from './named-meshes';
import { cube, meshOf, plane } from './shapes';

const codes = (mesh: PolyMesh): string[] => checkMesh(mesh).findings.map((f) => f.code);

/** Every face with points of its own. */
function exploded(mesh: PolyMesh): PolyMesh {
  const positions = Float32Array.from([...mesh.faceVerts].flatMap((v) => [...mesh.positions.subarray(3 * v, 3 * v + 3)]));
  return { ...mesh, positions, colors: positions, faceVerts: Uint32Array.from(mesh.faceVerts.keys()) };
}

describe('mends', () => {
  it('refine once: quads only, on the same polygons, with the same UVs, and quads stay as they are', () => {
    const mixed = meshOf([[0, 0, 0], [2, 0, 0], [3, 2, 0], [1, 3, 0], [-1, 2, 0], [4, 0, 1]], [[0, 1, 2, 3, 4], [1, 5, 2]]); // prettier-ignore
    const { mesh, count } = refinedToQuads(mixed);
    expect([count, faceCount(mesh), pointCount(mesh)]).toEqual([2, 8, 6 + 7 + 2]);
    expect([...mesh.faceOffsets]).toEqual([0, 4, 8, 12, 16, 20, 24, 28, 32]);
    expect([...mesh.positions.subarray(0, 18)]).toEqual([...mixed.positions]);
    // the middle of the pentagon, and of its first edge
    expect([...mesh.positions.subarray(3 * 13, 3 * 13 + 3)].map((x) => Number(x.toFixed(6)))).toEqual([1, 1.4, 0]);
    expect([...mesh.positions.subarray(18, 21)]).toEqual([1, 0, 0]);
    const quads = cube();
    expect(refinedToQuads(quads)).toEqual({ mesh: quads, count: 0 });
  });

  it('weld: faces that stand for themselves become one surface again, UVs as they were', () => {
    const apart = exploded(cube());
    expect(codes(apart)).toContain('doubled-points');
    const { mesh, count } = weldPoints(apart);
    expect([count, pointCount(mesh), faceCount(mesh)]).toEqual([16, 8, 6]);
    expect(codes(mesh)).toEqual([]);
    expect(mesh.faceUvs).toEqual(apart.faceUvs);
    expect(mesh.colors).toEqual(mesh.positions);
  });

  it('weld: within a distance, faces that collapse go, creases follow their points', () => {
    const strip = meshOf([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [1.01, 0, 0], [1.01, 1, 0], [2, 0, 0], [2, 1, 0]], [[0, 1, 2, 3], [1, 4, 5, 2], [4, 6, 7, 5]]); // prettier-ignore
    const creased = { ...strip, creases: { edges: Uint32Array.of(4, 5, 1, 4), edgeSharpness: Float32Array.of(2, 3), points: Uint32Array.of(7), pointSharpness: Float32Array.of(1) } }; // prettier-ignore
    const { mesh, count } = weldPoints(creased, 0.02);
    expect([count, [...mesh.faceVerts]]).toEqual([2, [0, 1, 2, 3, 1, 4, 5, 2]]);
    expect([...(mesh.creases?.edges ?? [])]).toEqual([1, 2]);
    expect([...(mesh.creases?.points ?? [])]).toEqual([5]);
    expect(weldPoints(creased).mesh).toBe(creased);
  });

  it('turn: flipped faces face as the rest, with their UVs, and turning twice changes nothing more', () => {
    const flipped = NAMED_MESHES['one flipped face in a sheet'];
    const { mesh, count } = turnFlipped(flipped);
    expect(count).toBe(1);
    expect(codes(mesh)).not.toContain('flipped-faces');
    for (let c = 0; c < mesh.faceVerts.length; c++) expect(mesh.faceUvs?.[c]).toBe(mesh.faceVerts[c]); // as the mesh has them
    expect(turnFlipped(mesh).mesh).toBe(mesh);
  });

  it('drop: small pieces go, and what they alone used', () => {
    const sheet = plane(4);
    const two: PolyMesh = {
      ...sheet,
      positions: Float32Array.from([9, 9, 9, ...sheet.positions, 5, 5, 5, 6, 5, 5, 6, 6, 5]),
      faceOffsets: Uint32Array.from([...sheet.faceOffsets, 67]),
      faceVerts: Uint32Array.from([...sheet.faceVerts.map((v) => v + 1), 26, 27, 28]),
      faceUvs: Uint32Array.from([...(sheet.faceUvs ?? []), 0, 1, 2]),
      faceSections: new Uint16Array(17),
    };
    const { mesh, count } = dropLoosePieces(two, 0.1);
    expect(count).toBe(1);
    expect([mesh.positions, mesh.faceVerts, mesh.faceUvs]).toEqual([sheet.positions, sheet.faceVerts, sheet.faceUvs]);
    expect(dropLoosePieces(two, 0.05).mesh).toBe(two);
  });

  it('shift: islands outside the tiles move by whole tiles, the others and shared indices stay', () => {
    const square = (u: number, v: number): number[][] => [[u, v], [u + 0.5, v], [u + 0.5, v + 0.5], [u, v + 0.5]]; // prettier-ignore
    const points = [0, 1, 2, 3].flatMap((z) => [[0, 0, z], [1, 0, z], [1, 1, z], [0, 1, z]]); // prettier-ignore
    const quads = [0, 4, 8, 12].map((v) => [v, v + 1, v + 2, v + 3]);
    const mesh = meshOf(points, quads, [...square(0.1, 0.1), ...square(-1.8, 0.2), ...square(12.25, -2.75), ...square(3.1, 0.3)]);
    const { mesh: moved, count } = shiftIslands(mesh);
    expect(count).toBe(2);
    expect(codes(moved)).not.toContain('uv-outside-tiles');
    expect(checkMesh(moved).tiles).toEqual([1001, 1003, 1004]);
    const first = [0, 8, 16, 24].map((i) => Array.from(moved.uvs?.subarray(i, i + 2) ?? [], (x) => Number(x.toFixed(4))));
    expect(first).toEqual([[0.1, 0.1], [0.2, 0.2], [2.25, 0.25], [3.1, 0.3]]); // prettier-ignore
    expect(shiftIslands(moved).mesh).toBe(moved);
  });
});
