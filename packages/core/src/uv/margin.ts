import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, requireUvs } from '../mesh/poly-mesh';
import type { Islands } from './islands';

/** Where islands come nearer to each other than a limit. */
export interface NearIslands {
  /** Smallest distance in UV units; Infinity where none is within the limit. */
  readonly smallest: number;
  /** Of the borders that are too near, ascending. */
  readonly faces: readonly number[];
}

/** Cells at most: a coarser grid costs time, not correctness. */
const MOST_CELLS = 4096;
/** Cells that all borders pass through at most, likewise. */
const MOST_PASSED = 4e5;
/** Edges of a cell that each edge is compared with. */
const MOST_COMPARED = 256;

/** Compares the border edges of islands with those of others within `limit` (UV units): cells of a grid of about the limit hold the edges that
 *  pass through them, so the cost is linear in the length of all borders over the limit. */
export function nearIslands(mesh: PolyMesh, islands: Islands, limit: number): NearIslands {
  const { uvs } = requireUvs(mesh);
  const { edges, copies, ofFace } = islands;
  if (islands.count < 2) return { smallest: Infinity, faces: [] };
  const border: { readonly face: number; readonly a: number; readonly b: number }[] = [];
  for (let f = 0; f < faceCount(mesh); f++)
    for (let c = mesh.faceOffsets[f]; c < mesh.faceOffsets[f + 1]; c++) {
      if (edges.edgeFaceCounts[edges.cornerEdges[c]] !== 1) continue;
      const next = c + 1 === mesh.faceOffsets[f + 1] ? mesh.faceOffsets[f] : c + 1;
      border.push({ face: f, a: 2 * copies.uvs[copies.faceVerts[c]], b: 2 * copies.uvs[copies.faceVerts[next]] });
    }
  // an edge is sampled twice a cell: what is within the limit of it then lies in a cell beside one of its samples
  const lengths = border.reduce((sum, { a, b }) => sum + Math.max(Math.abs(uvs[b] - uvs[a]), Math.abs(uvs[b + 1] - uvs[a + 1])), 0);
  const cell = Math.max(2 * limit, 1 / MOST_CELLS, lengths / MOST_PASSED);
  const cells = new Map<number, number[]>();
  for (let i = 0; i < border.length; i++) {
    const { a, b } = border[i];
    cellsAlong(uvs[a], uvs[a + 1], uvs[b], uvs[b + 1], cell, (key) => {
      const list = cells.get(key);
      if (list === undefined) cells.set(key, [i]);
      else if (list[list.length - 1] !== i) list.push(i);
    });
  }
  let smallest = Infinity;
  const near = new Uint8Array(faceCount(mesh));
  for (const [key, list] of cells)
    for (const other of [key, key + 1, key + ROW - 1, key + ROW, key + ROW + 1]) {
      const there = cells.get(other);
      if (there === undefined) continue;
      // what is stacked without end is known to be too near after a few
      const among = there.length > MOST_COMPARED ? there.slice(0, MOST_COMPARED) : there;
      for (const i of list) {
        for (const j of among) {
          // nothing is nearer than that
          if (smallest === 0 && near[border[i].face] === 1) break;
          if (ofFace[border[i].face] === ofFace[border[j].face] || isBeyond(uvs, border[i], border[j], limit)) continue;
          const d = between(uvs, border[i], border[j]);
          if (!(d < limit)) continue;
          smallest = Math.min(smallest, d);
          near[border[i].face] = near[border[j].face] = 1;
        }
      }
    }
  const faces: number[] = [];
  for (let f = 0; f < near.length; f++) if (near[f] === 1) faces.push(f);
  return { smallest, faces };
}

/** Cells of a row: more than any layout of tiles has. */
const ROW = 1 << 22;

/** Keys of the cells that a segment passes through, and of some beside it. */
function cellsAlong(ax: number, ay: number, bx: number, by: number, cell: number, take: (key: number) => void): void {
  const steps = Math.max(1, Math.ceil((2 * Math.max(Math.abs(bx - ax), Math.abs(by - ay))) / cell));
  let last = NaN;
  for (let s = 0; s <= steps; s++) {
    const key =
      (Math.floor((ay + ((by - ay) * s) / steps) / cell) + ROW / 2) * ROW + Math.floor((ax + ((bx - ax) * s) / steps) / cell) + ROW / 2;
    if (key !== last) take(key);
    last = key;
  }
}

interface Segment {
  /** Places of its ends in the UVs. */
  readonly a: number;
  readonly b: number;
}

/** Whether the boxes around two segments are apart by the limit or more, which most are. */
function isBeyond(uvs: Float32Array, s: Segment, t: Segment, limit: number): boolean {
  for (let k = 0; k < 2; k++) {
    const [p, q, r, u] = [uvs[s.a + k], uvs[s.b + k], uvs[t.a + k], uvs[t.b + k]];
    if (Math.min(p, q) - Math.max(r, u) >= limit || Math.min(r, u) - Math.max(p, q) >= limit) return true;
  }
  return false;
}

/** Distance of two segments that do not cross; 0 where they do. */
function between(uvs: Float32Array, s: Segment, t: Segment): number {
  if (sideOf(uvs, s.a, s.b, t.a) * sideOf(uvs, s.a, s.b, t.b) < 0 && sideOf(uvs, t.a, t.b, s.a) * sideOf(uvs, t.a, t.b, s.b) < 0) return 0;
  return Math.min(endTo(uvs, s.a, t), endTo(uvs, s.b, t), endTo(uvs, t.a, s), endTo(uvs, t.b, s));
}

/** On which side of o - e a point lies: 1, 0 or -1. */
const sideOf = (uvs: Float32Array, o: number, e: number, x: number): number =>
  Math.sign((uvs[e] - uvs[o]) * (uvs[x + 1] - uvs[o + 1]) - (uvs[e + 1] - uvs[o + 1]) * (uvs[x] - uvs[o]));

const endTo = (uvs: Float32Array, p: number, { a, b }: Segment): number =>
  toSegment(uvs[p], uvs[p + 1], uvs[a], uvs[a + 1], uvs[b], uvs[b + 1]);

/** Distance of a point from a segment. */
export function toSegment(x: number, y: number, ax: number, ay: number, bx: number, by: number): number {
  const dx = bx - ax;
  const dy = by - ay;
  const length = dx * dx + dy * dy;
  const t = length === 0 ? 0 : Math.min(1, Math.max(0, ((x - ax) * dx + (y - ay) * dy) / length));
  const ex = x - ax - t * dx;
  const ey = y - ay - t * dy;
  return Math.sqrt(ex * ex + ey * ey);
}
