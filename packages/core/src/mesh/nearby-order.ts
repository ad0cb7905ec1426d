import { walked } from '../runtime/sparse-matrix';
import { renumberCreases } from './keep-faces';
import { facesAround } from './neighbours';
import type { PolyMesh } from './poly-mesh';
import { faceCount, pointCount } from './poly-mesh';

/** A mesh whose points and faces may stand in another order, and their numbers in the file. */
export interface Gathered {
  readonly mesh: PolyMesh;
  readonly points: Uint32Array; // P
  readonly faces: Uint32Array; // F
}

/** A core's cache, roughly: so many lines, of so many points each. */
const LINES = 1 << 12;
const POINTS_A_LINE = 8;
/** Corners that miss it where the order of a file is no help: one in two. Of 1.6 million quads in the order of
 *  refining one in thirty misses it, in no order nearly all. */
const SCATTERED = 0.5;

/** Brings together in memory what belongs together, where a large mesh's file has its points and faces all over the place: each pass over such a mesh
 *  waits for memory at every corner. Other meshes stay as they are. Normals are left out. */
export function gathered(mesh: PolyMesh): Gathered {
  const P = pointCount(mesh);
  const F = faceCount(mesh);
  if (!isScattered(mesh)) return { mesh, points: numbers(P), faces: numbers(F) };
  const { start, values } = facesAround(mesh, P);
  const { columns: points, rows: faces } = walked(
    { columns: P, start: mesh.faceOffsets, column: mesh.faceVerts },
    { columns: F, start, column: values },
  );
  return { mesh: rearranged(mesh, points, faces), points, faces };
}

/** The mesh with its points and faces in the order of their numbers again. */
export const restored = ({ mesh, points, faces }: Gathered): PolyMesh => rearranged(mesh, inverseOf(points), inverseOf(faces));

/** Where each number stands. @param order a permutation */
export function inverseOf(order: Uint32Array): Uint32Array {
  const out = new Uint32Array(order.length);
  for (let i = 0; i < order.length; i++) out[order[i]] = i;
  return out;
}

/** @param points which is to stand at each place  @param faces likewise */
function rearranged(mesh: PolyMesh, points: Uint32Array, faces: Uint32Array): PolyMesh {
  const to = inverseOf(points);
  const faceOffsets = new Uint32Array(faces.length + 1);
  const faceVerts = new Uint32Array(mesh.faceVerts.length);
  const faceUvs = mesh.faceUvs && new Uint32Array(mesh.faceVerts.length);
  const faceSections = new Uint16Array(faces.length);
  for (let f = 0, at = 0; f < faces.length; f++) {
    faceSections[f] = mesh.faceSections[faces[f]];
    for (let c = mesh.faceOffsets[faces[f]]; c < mesh.faceOffsets[faces[f] + 1]; c++) {
      if (faceUvs !== null && mesh.faceUvs !== null) faceUvs[at] = mesh.faceUvs[c];
      faceVerts[at++] = to[mesh.faceVerts[c]];
    }
    faceOffsets[f + 1] = at;
  }
  const picked = (values: Float32Array): Float32Array => {
    const out = new Float32Array(values.length);
    for (let v = 0; v < points.length; v++) for (let k = 0; k < 3; k++) out[3 * v + k] = values[3 * points[v] + k];
    return out;
  };
  const { positions, colors, creases } = mesh;
  return {
    ...mesh,
    positions: picked(positions),
    colors: colors && picked(colors),
    faceOffsets,
    faceVerts,
    faceUvs,
    faceSections,
    creases: creases && renumberCreases(creases, to),
    normals: null,
    faceNormals: null,
  };
}

/** Whether a walk over its faces misses the cache at most corners: counted on a cache of one line a place. */
function isScattered({ positions, faceVerts }: PolyMesh): boolean {
  if (positions.length / 3 <= LINES * POINTS_A_LINE) return false;
  const held = new Int32Array(LINES).fill(-1);
  let missed = 0;
  for (let c = 0; c < faceVerts.length; c++) {
    const line = Math.floor(faceVerts[c] / POINTS_A_LINE);
    const place = line % LINES;
    if (held[place] === line) continue;
    held[place] = line;
    missed++;
  }
  return missed > SCATTERED * faceVerts.length;
}

const numbers = (count: number): Uint32Array => new Uint32Array(count).map((_, i) => i);
