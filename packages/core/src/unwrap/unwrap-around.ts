import { cutFaces } from '../mesh/keep-faces';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount, requireUvs } from '../mesh/poly-mesh';
import { buildEdges, connectivityOf } from '../mesh/topology';
import { triangulate } from '../mesh/triangulate';
import { InvalidInputError } from '../runtime/errors';
import type { RunControl } from '../runtime/progress';
import { islandsOf } from '../uv/islands';
import { faceStretch } from '../uv/stretch';
import type { Taken } from './taken';
import type { UnwrapOptions, Unwrapped } from './unwrap';
import { requireGroups, unwrap, unwrapBeside } from './unwrap';

const NONE = 0xffffffff;

/** Unwraps a mesh but for some islands, which stay where they are; the others are packed around them, with texels as large as theirs where
 *  there is room. @param keep faces, one or more of each island that stays
 *  @throws InvalidInputError what `unwrap` throws; NO_UVS; BAD_OPTION where a face is not there, or nothing is left to unwrap @throws CancelledError */
export function unwrapAround(
  mesh: PolyMesh,
  keep: readonly number[],
  options: Partial<UnwrapOptions> = {},
  control?: RunControl,
): Unwrapped {
  if (keep.length === 0) return unwrap(mesh, options, control);
  requireGroups(mesh, options.weights);
  const { uvs, faceUvs } = requireUvs(mesh);
  const F = faceCount(mesh);
  const missing = keep.find((f) => f >= F);
  if (missing !== undefined)
    throw new InvalidInputError('BAD_OPTION', `There is no face ${missing} to keep; the mesh has ${F}.`, { face: missing });
  const { ofFace } = islandsOf(mesh);
  const islands = new Set(keep.map((f) => ofFace[f]));
  const stays = (f: number): boolean => islands.has(ofFace[f]);
  const { mesh: rest, points } = cutFaces(mesh, (f) => !stays(f));
  if (faceCount(rest) === 0)
    throw new InvalidInputError('BAD_OPTION', 'Every island is kept, so there is nothing to unwrap.', { option: 'keep' });
  const { seams } = options;
  const own = seams instanceof Uint32Array ? { ...options, seams: edgesOf(rest, points, seams) } : options;
  const { mesh: laid, addedSeams } = unwrapBeside(rest, own, takenBy(mesh, stays), control);
  const values: number[] = [...(laid.uvs ?? [])];
  const moved = new Map<number, number>();
  const out = new Uint32Array(faceUvs.length);
  let at = 0;
  for (let f = 0; f < F; f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      if (!stays(f)) {
        out[c] = laid.faceUvs?.[at++] ?? 0;
        continue;
      }
      const t = faceUvs[c];
      const number = moved.get(t) ?? values.push(uvs[2 * t], uvs[2 * t + 1]) / 2 - 1;
      moved.set(t, number);
      out[c] = number;
    }
  return { mesh: { ...mesh, uvs: Float32Array.from(values), faceUvs: out }, addedSeams };
}

/** Edges by the numbers of a part of the mesh; those that it has not are left out. */
function edgesOf(part: PolyMesh, points: Uint32Array, edges: Uint32Array): Uint32Array {
  const P = pointCount(part);
  const { edgeVerts } = buildEdges(connectivityOf(part));
  const key = (a: number, b: number): number => Math.min(a, b) * P + Math.max(a, b);
  const known = new Set<number>();
  for (let e = 0; e < edgeVerts.length; e += 2) known.add(key(edgeVerts[e], edgeVerts[e + 1]));
  const out: number[] = [];
  for (let i = 0; i < edges.length; i += 2) {
    const [a, b] = [points[edges[i]], points[edges[i + 1]]];
    if (a !== NONE && b !== NONE && known.has(key(a, b))) out.push(a, b);
  }
  return Uint32Array.from(out);
}

function takenBy(mesh: PolyMesh, stays: (face: number) => boolean): Taken {
  const { uvs, faceUvs } = requireUvs(mesh);
  const { corners, faces } = triangulate(mesh);
  const triangles: number[] = [];
  for (let t = 0; t < faces.length; t++)
    if (stays(faces[t]))
      for (let k = 0; k < 3; k++) {
        const uv = faceUvs[corners[3 * t + k]];
        triangles.push(uvs[2 * uv], uvs[2 * uv + 1]);
      }
  const { surface, uv } = faceStretch(mesh);
  let [areas, flat] = [0, 0];
  for (let f = 0; f < surface.length; f++) {
    if (!stays(f)) continue;
    areas += surface[f];
    flat += Math.abs(uv[f]);
  }
  return { triangles: Float64Array.from(triangles), density: areas > 0 ? Math.sqrt(flat / areas) : Infinity };
}
