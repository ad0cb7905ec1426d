import { neighboursOf } from '../mesh/neighbours';
import type { EdgeTable } from '../mesh/topology';
import { GrowableU32 } from '../runtime/growable';
import { Heap } from '../runtime/heap';
import { UnionFind } from '../runtime/union-find';

/** The sculpt as a net of patches about as large as a wanted size, to walk along it: points of one cell of a grid that hang together there are
 *  one patch. What lies near in space without touching is never one. */
export class SurfaceWalk {
  /** Patch of each point of the sculpt. */
  readonly patchOf: Uint32Array;
  /** Piece of the sculpt that each patch belongs to. */
  readonly pieceOf: Uint32Array;
  private readonly centres: Float64Array;
  private readonly start: Uint32Array;
  private readonly next: Uint32Array;
  private readonly length: Float64Array;
  private readonly distance: Float64Array;
  private readonly touched: number[] = [];

  /** @param positions float32[3 P] @param cell side of a patch, scene units */
  constructor(
    positions: Float32Array,
    { edgeVerts }: Pick<EdgeTable, 'edgeVerts'>,
    readonly cell: number,
  ) {
    const P = positions.length / 3;
    const cells = new Int32Array(3 * P);
    for (let i = 0; i < cells.length; i++) cells[i] = Math.floor(positions[i] / cell);
    const sameCell = (a: number, b: number): boolean =>
      cells[3 * a] === cells[3 * b] && cells[3 * a + 1] === cells[3 * b + 1] && cells[3 * a + 2] === cells[3 * b + 2];
    const sets = new UnionFind(P);
    const pieces = new UnionFind(P);
    for (let e = 0; e < edgeVerts.length; e += 2) {
      pieces.join(edgeVerts[e], edgeVerts[e + 1]);
      if (sameCell(edgeVerts[e], edgeVerts[e + 1])) sets.join(edgeVerts[e], edgeVerts[e + 1]);
    }
    const { of, count } = sets.numbered();
    this.patchOf = of;
    this.centres = new Float64Array(3 * count);
    this.pieceOf = new Uint32Array(count);
    const members = new Uint32Array(count);
    for (let v = 0; v < P; v++) {
      members[of[v]]++;
      this.pieceOf[of[v]] = pieces.root(v);
      for (let k = 0; k < 3; k++) this.centres[3 * of[v] + k] += positions[3 * v + k];
    }
    for (let i = 0; i < this.centres.length; i++) this.centres[i] /= members[Math.floor(i / 3)];
    const links = linksBetween(edgeVerts, of, count);
    this.start = links.start;
    this.next = links.next;
    this.length = new Float64Array(this.next.length);
    for (let a = 0; a < count; a++) for (let i = this.start[a]; i < this.start[a + 1]; i++) this.length[i] = this.between(a, this.next[i]);
    this.distance = new Float64Array(count).fill(Infinity);
  }

  private between(a: number, b: number): number {
    const { centres: c } = this;
    return Math.hypot(c[3 * a] - c[3 * b], c[3 * a + 1] - c[3 * b + 1], c[3 * a + 2] - c[3 * b + 2]);
  }

  /** Whether one patch is reached from another by a way of at most so long (Dijkstra 1959, aimed at its end as by Hart, Nilsson, Raphael 1968). */
  reaches(from: number, to: number, longest: number): boolean {
    if (from === to) return true;
    const { distance, start, next, length, touched } = this;
    const heap = new Heap<number>();
    distance[from] = 0;
    touched.push(from);
    heap.push(this.between(from, to), from);
    let found = false;
    for (let top = heap.pop(); top !== undefined; top = heap.pop()) {
      const a = top.value;
      if (a === to) {
        found = true;
        break;
      }
      const d = distance[a];
      for (let i = start[a]; i < start[a + 1]; i++) {
        const b = next[i];
        const there = d + length[i];
        if (there >= distance[b]) continue;
        const whole = there + this.between(b, to);
        if (whole > longest) continue;
        if (distance[b] === Infinity) touched.push(b);
        distance[b] = there;
        heap.push(whole, b);
      }
    }
    for (const a of touched) distance[a] = Infinity;
    touched.length = 0;
    return found;
  }
}

/** Which patches touch which, each pair in both rows, once. */
function linksBetween(edgeVerts: Uint32Array, of: Uint32Array, count: number): { start: Uint32Array; next: Uint32Array } {
  const { start, points } = neighboursOf({ edgeVerts: edgeVerts.map((v) => of[v]) }, count);
  const next = new GrowableU32();
  const kept = new Uint32Array(count + 1);
  for (let a = 0; a < count; a++) {
    const row = points.subarray(start[a], start[a + 1]).sort();
    for (let i = 0; i < row.length; i++) if (row[i] !== a && (i === 0 || row[i] !== row[i - 1])) next.push(row[i]);
    kept[a + 1] = next.length;
  }
  return { start: kept, next: next.finish() };
}
