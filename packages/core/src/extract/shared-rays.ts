/** Rows and columns to each side that a sample shares rays with. */
export const SHARED_REACH = 2;
/** Side of the square of samples that share rays. */
export const SHARED_SIDE = 2 * SHARED_REACH + 1;
/** With fewer of them a sample looks around for itself. */
const FEWEST = 9;
/** Samples farther apart than so many times as far as samples lie apart on the base do not see the same. */
const NEAR = 3;
/** Above the rounding of single precision. */
const HORIZON = 1e-5;

/** What a sample saw: unit directions, and 1 where something is in the way. */
interface Seen {
  readonly directions: Float32Array; // 3 rays
  readonly blocked: Uint8Array; // rays
}
const ALONE = 1;
const SHARES = 2;

/** What samples of a few rows saw, each with few rays, put together: a direction that one sample saw blocked is blocked for its neighbours on the
 *  surface too, weighted for each by its own hemisphere. The estimator is the balance heuristic over the neighbours' cosine densities (Veach and
 *  Guibas 1995; of rays shared between neighbours: Bekaert, Sbert and Halton 2002): with B 1 where a ray is blocked and c = max(0, n . d), the
 *  blocked share of sample t is the mean over rays of B c_t / sum of c over all that share, divided by the same without B. Where neighbours' normals
 *  differ, nothing is blurred; only that they stand apart is left out, so that what changes within the square is averaged over it. */
export class SharedRays {
  private readonly rows: number;
  /** By row modulo `rows` and column. */
  private readonly rowOf: Int32Array;
  private readonly isThere: Uint8Array;
  private readonly points: Float32Array; // 3
  private readonly normals: Float32Array; // 3
  private readonly spans: Float32Array; // length between samples
  private readonly directions: Float32Array; // 3 rays
  private readonly blocked: Uint8Array; // rays
  private readonly sharing = new Int32Array(SHARED_SIDE ** 2);

  /** @param columns samples a row @param rows that are kept at a time */
  constructor(
    private readonly columns: number,
    rows: number,
    private readonly rays: number,
  ) {
    this.rows = rows;
    const count = columns * rows;
    this.rowOf = new Int32Array(rows).fill(-1);
    this.isThere = new Uint8Array(count);
    this.points = new Float32Array(3 * count);
    this.normals = new Float32Array(3 * count);
    this.spans = new Float32Array(count);
    this.directions = new Float32Array(3 * rays * count);
    this.blocked = new Uint8Array(rays * count);
  }

  /** Keeps what a sample saw. Rows come in ascending order. @param span length on the base between samples */
  keep(column: number, row: number, q: Float64Array, n: Float64Array, span: number, { directions, blocked }: Seen): void {
    const i = this.keepAlone(column, row, q, n);
    this.isThere[i] = SHARES;
    this.spans[i] = span;
    this.directions.set(directions, 3 * this.rays * i);
    this.blocked.set(blocked, this.rays * i);
  }

  /** Keeps the place of a sample that looks around for itself, and which nobody shares. @returns its index */
  keepAlone(column: number, row: number, q: Float64Array, n: Float64Array): number {
    const slot = row % this.rows;
    if (this.rowOf[slot] !== row) {
      this.rowOf[slot] = row;
      this.isThere.fill(0, slot * this.columns, (slot + 1) * this.columns);
    }
    const i = slot * this.columns + column;
    this.isThere[i] = ALONE;
    this.points.set(q, 3 * i);
    this.normals.set(n, 3 * i);
    return i;
  }

  /** Point and normal of a sample that was kept. Writes q and n. @returns false where there is none */
  read(column: number, row: number, q: Float64Array, n: Float64Array): boolean {
    const i = this.indexOf(column, row);
    if (i < 0) return false;
    for (let k = 0; k < 3; k++) {
      q[k] = this.points[3 * i + k];
      n[k] = this.normals[3 * i + k];
    }
    return true;
  }

  private indexOf(column: number, row: number): number {
    const slot = row % this.rows;
    if (row < 0 || column < 0 || column >= this.columns || this.rowOf[slot] !== row) return -1;
    const i = slot * this.columns + column;
    return this.isThere[i] === 0 ? -1 : i;
  }

  /** How open a sample that was kept is, by its own rays and its neighbours'. NaN where it looks around for itself, or too few are near. */
  openness(column: number, row: number): number {
    const { points: p, normals: n, sharing, rays, directions: d, isThere } = this;
    const own = this.indexOf(column, row);
    if (own < 0 || isThere[own] !== SHARES) return NaN;
    const far2 = (NEAR * this.spans[own]) ** 2;
    let count = 0;
    for (let y = row - SHARED_REACH; y <= row + SHARED_REACH; y++)
      for (let x = column - SHARED_REACH; x <= column + SHARED_REACH; x++) {
        const i = this.indexOf(x, y);
        if (i < 0 || isThere[i] !== SHARES) continue;
        const away2 = (p[3 * i] - p[3 * own]) ** 2 + (p[3 * i + 1] - p[3 * own + 1]) ** 2 + (p[3 * i + 2] - p[3 * own + 2]) ** 2;
        if (away2 <= far2 * ((x - column) ** 2 + (y - row) ** 2)) sharing[count++] = i;
      }
    if (count < FEWEST) return NaN;
    const nx = n[3 * own], ny = n[3 * own + 1], nz = n[3 * own + 2]; // prettier-ignore
    // directions well above everybody's horizon have no cosine to cut off: their sum is one product with the normals' sum
    let sx = 0, sy = 0, sz = 0; // prettier-ignore
    for (let k = 0; k < count; k++) {
      const o = 3 * sharing[k];
      sx += n[o];
      sy += n[o + 1];
      sz += n[o + 2];
    }
    const length = Math.sqrt(sx * sx + sy * sy + sz * sz);
    let least = length;
    for (let k = 0; k < count; k++) {
      const o = 3 * sharing[k];
      least = Math.min(least, n[o] * sx + n[o + 1] * sy + n[o + 2] * sz);
    }
    // of the angle between the sum and the normal farthest from it: a direction nearer than its complement is above all horizons
    const cosine = length > 0 ? least / length : 0;
    const above = cosine > 0 ? length * (Math.sqrt(Math.max(0, 1 - cosine * cosine)) + HORIZON) : Infinity;
    let blocked = 0;
    let all = 0;
    for (let j = 0; j < count; j++) {
      const first = rays * sharing[j];
      for (let r = first; r < first + rays; r++) {
        const dx = d[3 * r], dy = d[3 * r + 1], dz = d[3 * r + 2]; // prettier-ignore
        const c = nx * dx + ny * dy + nz * dz;
        if (c <= 0) continue;
        let sum = sx * dx + sy * dy + sz * dz;
        if (sum < above) {
          sum = 0;
          for (let k = 0; k < count; k++) {
            const o = 3 * sharing[k];
            const other = n[o] * dx + n[o + 1] * dy + n[o + 2] * dz;
            if (other > 0) sum += other;
          }
        }
        const weight = c / sum;
        all += weight;
        if (this.blocked[r] === 1) blocked += weight;
      }
    }
    return all > 0 ? 1 - blocked / all : NaN;
  }
}
