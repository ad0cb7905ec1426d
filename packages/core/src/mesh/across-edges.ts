import type { PolyMesh } from './poly-mesh';

/** Marks an edge without a corner across it. */
export const NO_CORNER = 0xffffffff;

/** Points of a bucket, as a power of two: what is known of them stays near at hand. */
const BUCKET_BITS = 12;
/** More buckets than this are filled in too many places at a time; then each takes more points. */
const MOST_BUCKETS = 1024;
/** Words of an edge: its lower point, its upper point, and twice its corner, odd where it leads downwards. */
const EDGE_WORDS = 3;
/** More edges than this at a point are sorted. */
const FEW = 48;

/** The corner across each edge of a mesh: the one that runs the other way, NO_CORNER on borders and where three faces meet. No hash: edges are put
 *  into buckets by their lower point, and within a bucket in rows, one a point, where both corners of an edge stand near each other. Points in any
 *  order cost one look far away in memory an edge (radix clustering, Manegold, Boncz and Kersten 2002). */
export function acrossEdges(mesh: PolyMesh): Uint32Array {
  const points = mesh.positions.length / 3;
  const bits = Math.max(BUCKET_BITS, Math.ceil(Math.log2(points / MOST_BUCKETS)));
  const { edges, starts } = inBuckets(mesh, bits, Math.ceil(points / 2 ** bits));
  const across = new Uint32Array(mesh.faceVerts.length).fill(NO_CORNER);
  const rows = new Rows(across, 2 ** bits);
  for (let b = 0; b + 1 < starts.length; b++) rows.pair(edges.subarray(EDGE_WORDS * starts[b], EDGE_WORDS * starts[b + 1]));
  return across;
}

interface Buckets {
  readonly edges: Uint32Array; // 3 C, bucket after bucket
  readonly starts: Uint32Array; // buckets + 1
}

function inBuckets({ faceOffsets, faceVerts }: PolyMesh, bits: number, count: number): Buckets {
  const starts = new Uint32Array(count + 1);
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const to = faceOffsets[f + 1];
    let v = faceVerts[to - 1];
    for (let c = faceOffsets[f]; c < to; c++) {
      const w = faceVerts[c];
      starts[((v < w ? v : w) >>> bits) + 1]++;
      v = w;
    }
  }
  for (let b = 0; b < count; b++) starts[b + 1] += starts[b];
  const next = starts.slice();
  const edges = new Uint32Array(EDGE_WORDS * faceVerts.length);
  for (let f = 0; f + 1 < faceOffsets.length; f++) {
    const to = faceOffsets[f + 1];
    let c = to - 1;
    let v = faceVerts[c];
    for (let after = faceOffsets[f]; after < to; after++) {
      const w = faceVerts[after];
      const isUp = v < w;
      const lower = isUp ? v : w;
      const at = EDGE_WORDS * next[lower >>> bits]++;
      edges[at] = lower;
      edges[at + 1] = isUp ? w : v;
      edges[at + 2] = 2 * c + (isUp ? 0 : 1);
      c = after;
      v = w;
    }
  }
  return { edges, starts };
}

/** Pairs the edges of one bucket after another. */
class Rows {
  private readonly ends: Uint32Array;
  private uppers = new Uint32Array(0);
  private corners = new Uint32Array(0);

  /** @param points of a bucket, a power of two */
  constructor(
    private readonly across: Uint32Array,
    points: number,
  ) {
    this.ends = new Uint32Array(points);
  }

  pair(edges: Uint32Array): void {
    const { ends } = this;
    this.layOut(edges);
    for (let v = 0, from = 0; v < ends.length; from = ends[v++]) if (ends[v] > from) this.pairRow(from, ends[v]);
  }

  /** Edges in rows by their lower points, each row up to its end. */
  private layOut(edges: Uint32Array): void {
    const { ends } = this;
    const count = edges.length / EDGE_WORDS;
    const mask = ends.length - 1;
    if (this.uppers.length < count) {
      this.uppers = new Uint32Array(2 * count);
      this.corners = new Uint32Array(2 * count);
    }
    const { uppers, corners } = this;
    ends.fill(0);
    for (let i = 0; i < edges.length; i += EDGE_WORDS) ends[edges[i] & mask]++;
    let start = 0;
    for (let v = 0; v < ends.length; v++) {
      const size = ends[v];
      ends[v] = start;
      start += size;
    }
    // moves each start to the end of its row
    for (let i = 0; i < edges.length; i += EDGE_WORDS) {
      const place = ends[edges[i] & mask]++;
      uppers[place] = edges[i + 1];
      corners[place] = edges[i + 2];
    }
  }

  private pairRow(from: number, to: number): void {
    const { across, uppers, corners } = this;
    const isLong = to - from > FEW;
    if (isLong) this.sortRow(from, to);
    for (let i = from; i < to; i++) {
      const end = uppers[i];
      let partner = NO_CORNER;
      let count = 1;
      // sorted, they stand side by side; else anywhere in the row
      const last = isLong ? Math.min(to, i + 3) : to;
      for (let j = isLong ? Math.max(from, i - 2) : from; j < last; j++)
        if (j !== i && uppers[j] === end) {
          partner = corners[j];
          count++;
        }
      if (count === 2 && (partner & 1) !== (corners[i] & 1)) across[corners[i] >>> 1] = partner >>> 1;
    }
  }

  private sortRow(from: number, to: number): void {
    const { uppers, corners } = this;
    const order = Array.from({ length: to - from }, (_, i) => from + i).sort((a, b) => uppers[a] - uppers[b] || corners[a] - corners[b]);
    const [u, c] = [order.map((i) => uppers[i]), order.map((i) => corners[i])];
    uppers.set(u, from);
    corners.set(c, from);
  }
}
