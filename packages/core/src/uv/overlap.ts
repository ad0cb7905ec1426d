import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount } from '../mesh/poly-mesh';
import { triangulate } from '../mesh/triangulate';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { UvTriangles } from './rasterise';
import { NO_TRIANGLE, rasteriseRows } from './rasterise';
import { tileOrigin } from './tiles';

export interface UvOverlap {
  /** Ascending. */
  readonly faces: readonly number[];
  /** False where the search stopped because enough was known. */
  readonly complete: boolean;
}

/** Samples looked at between two looks around, and after which any overlap is enough, in rasters of the tile. Islands that share nothing cost
 *  one raster or a few; faces stacked over the whole tile cost one each. */
const CHUNK = 4;
const ENOUGH = 8;
/** Sides of a raster for few faces and for many. */
const FOR_FEW = 512;
const FOR_MANY = 2048;
/** Cost in rasters of the tile from which on a coarser one is taken, and the coarsest. */
const SLENDER = 16;
const COARSEST = 128;

/** Faces that cover a sample which another face covers too, on a raster fine enough for a few samples a face (512 to 2048 a side).
 *  @throws CancelledError */
export function overlappingFaces(
  mesh: PolyMesh,
  uvs: Float32Array,
  faceUvs: Uint32Array,
  perFace: Uint16Array,
  tiles: readonly number[],
  control?: RunControl,
): UvOverlap {
  const finest = Math.min(FOR_MANY, Math.max(FOR_FEW, 2 ** Math.ceil(Math.log2(4 * Math.sqrt(faceCount(mesh))))));
  const triangles = triangulate(mesh);
  const corners = triangles.corners.map((c) => faceUvs[c]);
  const sharing = new Uint8Array(faceCount(mesh));
  let found = false;
  let complete = true;
  const share = (a: number, b: number): void => {
    if (a === b) return;
    sharing[a] = sharing[b] = 1;
    found = true;
  };
  const trianglesOf = byTile(triangles.faces, perFace);
  for (const tile of tiles) {
    const selected = trianglesOf(tile);
    // a face shares nothing with itself
    if (selected.every((t) => triangles.faces[t] === triangles.faces[selected[0]])) continue;
    const uv = { uvs, corners, selected, origin: tileOrigin(tile) };
    let side = finest;
    // needles pass through far more rows than they cover samples
    while (side > COARSEST && selected.reduce((sum, t) => sum + costOf(uv, t, side), 0) > SLENDER * side * side) side /= 2;
    const owner = new Uint32Array(side * side).fill(NO_TRIANGLE);
    let spent = 0;
    for (let from = 0; from < selected.length;) {
      throwIfAborted(control);
      if (found && spent > ENOUGH * side * side) {
        complete = false;
        break;
      }
      let to = from;
      for (let samples = 0; to < selected.length && samples < CHUNK * side * side; to++) {
        const own = costOf(uv, selected[to], side);
        samples += own;
        spent += own;
      }
      const chunk = selected.subarray(from, to);
      // where the first face that covers a sample and the last differ, faces overlap
      const last = new Uint32Array(side * side);
      const first = rasteriseRows(uv, chunk, side, side, 1, 0, side, last);
      for (let i = 0; i < first.length; i++) {
        if (first[i] === NO_TRIANGLE) continue;
        const a = triangles.faces[first[i]];
        share(a, triangles.faces[last[i]]);
        if (owner[i] === NO_TRIANGLE) owner[i] = a;
        else share(a, owner[i]);
      }
      from = to;
    }
  }
  const faces: number[] = [];
  for (let f = 0; f < sharing.length; f++) if (sharing[f] === 1) faces.push(f);
  return { faces, complete };
}

/** The triangles of each tile, ascending (a counting sort: meshes may have a tile a face). */
function byTile(faces: Uint32Array, perFace: Uint16Array): (tile: number) => Uint32Array {
  const start = new Uint32Array((1 << 16) + 1);
  for (const f of faces) start[perFace[f] + 1]++;
  for (let tile = 1; tile < start.length; tile++) start[tile] += start[tile - 1];
  const fill = start.slice();
  const sorted = new Uint32Array(faces.length);
  for (let t = 0; t < faces.length; t++) sorted[fill[perFace[faces[t]]]++] = t;
  return (tile) => sorted.subarray(start[tile], start[tile + 1]);
}

/** What rasterising a triangle costs, in samples: those that it covers, and a few for each row. */
function costOf({ uvs, corners }: UvTriangles, triangle: number, side: number): number {
  const [a, b, c] = [2 * corners[3 * triangle], 2 * corners[3 * triangle + 1], 2 * corners[3 * triangle + 2]];
  const width = Math.max(uvs[a], uvs[b], uvs[c]) - Math.min(uvs[a], uvs[b], uvs[c]);
  const height = Math.max(uvs[a + 1], uvs[b + 1], uvs[c + 1]) - Math.min(uvs[a + 1], uvs[b + 1], uvs[c + 1]);
  const area = Math.abs((uvs[b] - uvs[a]) * (uvs[c + 1] - uvs[a + 1]) - (uvs[c] - uvs[a]) * (uvs[b + 1] - uvs[a + 1])) / 2;
  return 1 + Math.min(1, width, area) * side * side + 4 * Math.min(1, height) * side;
}
