import type { PolyMesh } from '@estampe/core';
import { NO_INDEX, polyMesh } from '@estampe/core';

/** A small mesh that has everything a format may hold: triangle, quads and pentagon, islands, a face without UVs, hard edges, names, colours,
 *  creases. */
export function richMesh(): PolyMesh {
  const positions = Float32Array.from([
    0, 0, 0, 1, 0, 0.1, 2, 0.2, 0, 0, 1, 0, 1, 1.1, 0.25, 2, 1, 0.5, 0.5, 2, 0, 1.5, 2.1, -0.3, 3, 1, 0.7,
  ]);
  const faces = [[0, 1, 4, 3], [1, 2, 5, 4], [3, 4, 5, 7, 6], [2, 8, 5]]; // prettier-ignore
  const faceOffsets = Uint32Array.from([0, 4, 8, 13, 16]);
  const faceVerts = Uint32Array.from(faces.flat());
  const uvs = Float32Array.from(
    faces.slice(0, 3).flatMap((face, f) => face.flatMap((v) => [(0.1 + positions[3 * v] / 8 + 0.3 * Math.floor(f / 2)), 0.1 + positions[3 * v + 1] / 8]),
  )); // prettier-ignore
  const normals = Float32Array.from(faces.flatMap((_, f) => [0, f % 2 === 0 ? 0 : 0.6, f % 2 === 0 ? 1 : 0.8]));
  return polyMesh({
    positions,
    faceOffsets,
    faceVerts,
    uvs,
    faceUvs: Uint32Array.from(faceVerts, (_, c) => (c < 13 ? c : NO_INDEX)),
    normals,
    faceNormals: Uint32Array.from(faces.flatMap((face, f) => face.map(() => f))),
    colors: Float32Array.from(positions, (_, i) => (i % 7) / 7),
    sections: [
      { object: 'bell', group: 'lip "lower"', material: 'bronze', smoothing: '1' },
      { object: 'bell', group: 'crown', material: '', smoothing: 'off' },
      { object: 'ring', group: '', material: 'iron', smoothing: '' },
    ],
    faceSections: Uint16Array.from([0, 1, 1, 2]),
    creases: {
      edges: Uint32Array.from([1, 4, 4, 5]),
      edgeSharpness: Float32Array.from([1.25, Infinity]),
      points: Uint32Array.from([4]),
      pointSharpness: Float32Array.from([2.5]),
    },
  });
}

/** What each corner of a mesh has, however it is numbered. */
export function cornersOf(mesh: PolyMesh): Record<'points' | 'uvs' | 'normals' | 'colours', string[]> {
  const at = (values: Float32Array | null, i: number, width: number, places = 6): string =>
    values === null || i === NO_INDEX
      ? 'none'
      : Array.from(values.subarray(width * i, width * i + width), (x) => (x + 0).toFixed(places)).join(' ');
  const { faceVerts, faceUvs, faceNormals, origin } = mesh;
  const corners = [...faceVerts.keys()];
  return {
    points: corners.map((c) => [0, 1, 2].map((k) => String(origin[k] + mesh.positions[3 * faceVerts[c] + k])).join(' ')),
    uvs: corners.map((c) => at(mesh.uvs, faceUvs === null ? NO_INDEX : faceUvs[c], 2)),
    normals: corners.map((c) => at(mesh.normals, faceNormals === null ? NO_INDEX : faceNormals[c], 3)),
    colours: corners.map((c) => at(mesh.colors, faceVerts[c], 3)),
  };
}
