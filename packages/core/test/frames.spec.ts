import { generateTangents } from 'mikktspace';
import type { PolyMesh } from '../src';
import { refineLevels, requireUvs, triangulate, vertexNormals } from '../src';
import { FrameAt, lowFrames } from '../src/frames/low-frames';
import { cube, meshOf, plane, random } from './shapes';

/** The same corners given to the standard's own code. */
function reference(mesh: PolyMesh): Float32Array {
  const { corners } = triangulate(mesh);
  const { uvs, faceUvs } = requireUvs(mesh);
  const normals = vertexNormals(mesh);
  const at = (values: Float32Array, size: number, index: Uint32Array): Float32Array =>
    Float32Array.from({ length: size * corners.length }, (_, i) => values[size * index[corners[Math.floor(i / size)]] + (i % size)]);
  return generateTangents(at(mesh.positions, 3, mesh.faceVerts), at(normals, 3, mesh.faceVerts), at(uvs, 2, faceUvs));
}

/** A ring of quads and a hexagon with shaken points, one half of its UVs mirrored. */
function mirrored(): PolyMesh {
  const next = random(7);
  const mesh = refineLevels(cube(), 2).mesh;
  const positions = mesh.positions.map((x) => x + 0.06 * (next() - 0.5));
  const uvs = (mesh.uvs ?? new Float32Array(0)).map((x, i) => (i % 2 === 0 && x > 0.66 ? 1.66 - x : x) + 0.002 * (next() - 0.5));
  return { ...mesh, positions, uvs };
}

describe('MikkTSpace frames', () => {
  it.each([
    ['a cube', cube()],
    ['shaken quads with mirrored islands', mirrored()],
    [
      'a hexagon beside a triangle',
      meshOf(
        [
          [0, 0, 0],
          [2, 0, 0.3],
          [3, 1, 0],
          [2, 2, 0],
          [0, 2, 0.2],
          [-1, 1, 0],
          [4, 3, 1],
        ],
        [
          [0, 1, 2, 3, 4, 5],
          [3, 2, 6],
        ],
        [
          [0.2, 0],
          [0.6, 0.05],
          [0.8, 0.3],
          [0.6, 0.6],
          [0.2, 0.6],
          [0, 0.3],
          [0.6, 0.6],
          [0.8, 0.3],
          [1, 0.9],
        ],
      ),
    ],
    [
      'a mirrored sliver that has no direction of V, between two triangles',
      meshOf(
        [
          [0, 0, 0],
          [0, -1, 0],
          [1, 0, 0],
          [2, 0, 0],
          [0, 1, 0],
        ],
        [
          [0, 1, 2],
          [0, 2, 3],
          [0, 3, 4],
        ],
        [
          [0.25, 0.25],
          [0.375, 0.125],
          [0.375, 0.375],
          [0.25, 0.25],
          [0.375, 0.375],
          [0.5, 0.375],
          [0.25, 0.25],
          [0.5, 0.375],
          [0.125, 0.625],
        ],
      ),
    ],
  ] as const)('agree with the reference to 1e-5 on %s', (_, mesh) => {
    const { tangents } = lowFrames(mesh);
    const expected = reference(mesh);
    let worst = 0;
    for (let i = 0; i < expected.length; i++) worst = Math.max(worst, Math.abs(expected[i] - tangents[i]));
    expect(tangents.length).toBe(expected.length);
    expect(worst).toBeLessThan(1e-5);
    const signs = new Set(Array.from({ length: tangents.length / 4 }, (__, i) => tangents[4 * i + 3]));
    if (mesh.faceVerts.length > 300) expect(signs).toEqual(new Set([1, -1])); // mirrored and plain islands are both there
  });

  it('point along U and V on a plane, and turn directions there and back', () => {
    const at = new FrameAt(lowFrames(plane(2, 4)));
    const out = new Float64Array(3);
    at.set(1, 0.7, 0.2);
    at.toFrame(out, 0, 0.1, 0.2, 0.9);
    expect([...out].map((x) => Math.round(x * 1e6) / 1e6)).toEqual([0.1, 0.2, 0.9]);

    const slanted = new FrameAt(lowFrames(mirrored()));
    slanted.set(40, 0.31, 0.44);
    slanted.toFrame(out, 0, 0.3, -0.5, 0.7);
    slanted.fromFrame(out, 0, out[0], out[1], out[2]);
    [0.3, -0.5, 0.7].forEach((x, k) => expect(out[k]).toBeCloseTo(x, 10));
  });

  it('stand on the normals that the file carries, where it carries them', () => {
    const low = { ...plane(1), normals: Float32Array.of(0, 0.6, 0.8), faceNormals: new Uint32Array(4) };
    const { normals } = lowFrames(low);
    expect([...normals.subarray(0, 3)].map((x) => x.toFixed(6))).toEqual(['0.000000', '0.600000', '0.800000']);
  });
});
