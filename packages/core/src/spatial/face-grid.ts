import { rowsBy } from '../mesh/neighbours';
import type { Rows } from '../mesh/neighbours';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceOfCorner } from '../mesh/poly-mesh';

/** Cells of the grid for each face; a surface fills few of them. */
const CELLS_A_FACE = 1;
const MOST_CELLS_A_SIDE = 256;

/** Middles of faces in a grid of cubes: which is nearest to a place. Built in one pass, for a few questions; a tree pays for many. */
export class FaceGrid {
  private readonly middles: Float32Array; // 3 F
  private readonly rows: Rows; // faces of each cell
  private readonly low: readonly [number, number, number];
  private readonly count: readonly [number, number, number];
  private readonly size: number;

  constructor({ positions: p, faceOffsets, faceVerts }: PolyMesh) {
    const F = faceOffsets.length - 1;
    const middles = new Float32Array(3 * F);
    const low: [number, number, number] = [Infinity, Infinity, Infinity];
    const high: [number, number, number] = [-Infinity, -Infinity, -Infinity];
    for (let f = 0; f < F; f++) {
      const [from, to] = [faceOffsets[f], faceOffsets[f + 1]];
      for (let k = 0; k < 3; k++) {
        let sum = 0;
        for (let c = from; c < to; c++) sum += p[3 * faceVerts[c] + k];
        const middle = sum / (to - from);
        middles[3 * f + k] = middle;
        if (middle < low[k]) low[k] = middle;
        if (middle > high[k]) high[k] = middle;
      }
    }
    const longest = Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2], 1e-30);
    const side = Math.max(1, Math.min(MOST_CELLS_A_SIDE, Math.floor(Math.cbrt(CELLS_A_FACE * F))));
    this.size = longest / side;
    this.low = low;
    this.count = [0, 1, 2].map((k) => Math.max(1, Math.min(side, Math.floor((high[k] - low[k]) / this.size) + 1))) as unknown as [number, number, number]; // prettier-ignore
    this.middles = middles;
    const cells = new Uint32Array(F);
    for (let f = 0; f < F; f++) cells[f] = this.cellOf(this.along(0, middles[3 * f]), this.along(1, middles[3 * f + 1]), this.along(2, middles[3 * f + 2])); // prettier-ignore
    this.rows = rowsBy(this.count[0] * this.count[1] * this.count[2], cells, (f) => f);
  }

  /** The face whose middle is nearest; 0 for a mesh without faces. Which of several wins is not promised. */
  nearest(x: number, y: number, z: number): number {
    const at = [this.along(0, x), this.along(1, y), this.along(2, z)];
    // beyond the grid nothing of a shell is nearer than the way to the grid
    let [best, nearest] = [0, Infinity];
    const most = Math.max(...this.count);
    for (let ring = 0; ring <= most; ring++) {
      // whatever lies in further rings is farther than this
      if (nearest <= ((ring - 1) * this.size) ** 2 && ring > 0) break;
      for (let i = Math.max(0, at[0] - ring); i <= Math.min(this.count[0] - 1, at[0] + ring); i++)
        for (let j = Math.max(0, at[1] - ring); j <= Math.min(this.count[1] - 1, at[1] + ring); j++) {
          const inside = Math.abs(i - at[0]) < ring && Math.abs(j - at[1]) < ring;
          for (let k = Math.max(0, at[2] - ring); k <= Math.min(this.count[2] - 1, at[2] + ring); k++) {
            if (inside && Math.abs(k - at[2]) < ring) continue;
            const cell = this.cellOf(i, j, k);
            for (let r = this.rows.start[cell]; r < this.rows.start[cell + 1]; r++) {
              const f = this.rows.values[r];
              const d = (this.middles[3 * f] - x) ** 2 + (this.middles[3 * f + 1] - y) ** 2 + (this.middles[3 * f + 2] - z) ** 2;
              if (d < nearest) [best, nearest] = [f, d];
            }
          }
        }
    }
    return best;
  }

  private along(k: 0 | 1 | 2, x: number): number {
    return Math.max(0, Math.min(this.count[k] - 1, Math.floor((x - this.low[k]) / this.size)));
  }
  private cellOf(i: number, j: number, k: number): number {
    return (i * this.count[1] + j) * this.count[2] + k;
  }
}

/** Questions that are answered by looking at every point; from then on a grid pays. */
const FEW = 4;

/** A face of a mesh near a place: at first one at the point that is nearest, later the one whose middle is. 0 for a mesh without faces. */
export function nearbyFaces(mesh: PolyMesh): (x: number, y: number, z: number) => number {
  let asked = 0;
  let grid: FaceGrid | null = null;
  return (x, y, z) => {
    const corner = asked++ < FEW ? mesh.faceVerts.indexOf(nearestPoint(mesh, x, y, z)) : -1;
    // a point may be without faces
    return corner === -1 ? (grid ??= new FaceGrid(mesh)).nearest(x, y, z) : faceOfCorner(mesh, corner);
  };
}

/** Points follow each other in memory, those of a face need not: one look at all of them costs a tenth of one at all faces' middles. */
function nearestPoint({ positions: p }: PolyMesh, x: number, y: number, z: number): number {
  let [best, nearest] = [0, Infinity];
  for (let i = 0; i < p.length; i += 3) {
    const d = (p[i] - x) ** 2 + (p[i + 1] - y) ** 2 + (p[i + 2] - z) ** 2;
    if (d < nearest) {
      best = i;
      nearest = d;
    }
  }
  return best / 3;
}
