export const NO_TRIANGLE = 0xffffffff;

/** Triangles in UV space of one tile, as pixel coordinates are made from them. */
export interface UvTriangles {
  readonly uvs: Float32Array; // 2 T
  readonly corners: Uint32Array; // 3 per triangle: UV index
  readonly selected: Uint32Array; // triangles of the tile, ascending
  readonly origin: readonly [number, number];
}

/** Which triangle covers each sample of rows [y0, y1): uint32[(y1 - y0) n x W n], samples at ((i + 0.5) / n) of a texel.
 *
 *  A sample on an edge belongs to one triangle (top-left rule). Edge functions are evaluated from the same end of an edge for both
 *  its triangles, so rounding can neither open a gap nor cover twice. The triangle met first keeps a sample.
 *  @param bin ascending triangles that may touch these rows
 *  @param last as large as what is returned; gets the triangle met last, where there is one */
export function rasteriseRows(
  t: UvTriangles,
  bin: Uint32Array,
  W: number,
  H: number,
  n: number,
  y0: number,
  y1: number,
  last?: Uint32Array,
): Uint32Array {
  const width = W * n;
  const out = new Uint32Array(width * (y1 - y0) * n).fill(NO_TRIANGLE);
  const sx = W * n;
  const sy = H * n;
  const [u0, v0] = t.origin;
  const rowFrom = y0 * n;
  const rowTo = y1 * n;
  for (const tri of bin) {
    const a = t.corners[3 * tri];
    const b = t.corners[3 * tri + 1];
    const c = t.corners[3 * tri + 2];
    const ax = (t.uvs[2 * a] - u0) * sx;
    const ay = (v0 + 1 - t.uvs[2 * a + 1]) * sy;
    const px = (t.uvs[2 * b] - u0) * sx;
    const py = (v0 + 1 - t.uvs[2 * b + 1]) * sy;
    const qx = (t.uvs[2 * c] - u0) * sx;
    const qy = (v0 + 1 - t.uvs[2 * c + 1]) * sy;
    const area = (px - ax) * (qy - ay) - (py - ay) * (qx - ax);
    if (area === 0) continue;
    // corners in the order that makes the area positive
    const turned = area < 0;
    const bx = turned ? qx : px;
    const by = turned ? qy : py;
    const cx = turned ? px : qx;
    const cy = turned ? py : qy;
    const minX = Math.max(0, Math.ceil(Math.min(ax, bx, cx) - 0.5));
    const maxX = Math.min(width - 1, Math.floor(Math.max(ax, bx, cx) - 0.5));
    const minY = Math.max(rowFrom, Math.ceil(Math.min(ay, by, cy) - 0.5));
    const maxY = Math.min(rowTo - 1, Math.floor(Math.max(ay, by, cy) - 0.5));
    if (minX > maxX || minY > maxY) continue;
    // each edge from its one end, so that both its triangles evaluate it alike
    const ab = ax > bx || (ax === bx && ay > by);
    const bc = bx > cx || (bx === cx && by > cy);
    const ca = cx > ax || (cx === ax && cy > ay);
    // of a slender triangle a row has few samples: only those between its edges are looked at, and one more on each side, as these places are rounded
    const isWide = maxX - minX > WIDE;
    const slack = 1 + 1e-9 * Math.max(Math.abs(ax), Math.abs(bx), Math.abs(cx), Math.abs(ay), Math.abs(by), Math.abs(cy));
    for (let y = minY; y <= maxY; y++) {
      const sampleY = y + 0.5;
      let fromX = minX;
      let toX = maxX;
      if (isWide) {
        const lo = Math.min(crossing(sampleY, ax, ay, bx, by, Infinity), crossing(sampleY, bx, by, cx, cy, Infinity), crossing(sampleY, cx, cy, ax, ay, Infinity)); // prettier-ignore
        const hi = Math.max(crossing(sampleY, ax, ay, bx, by, -Infinity), crossing(sampleY, bx, by, cx, cy, -Infinity), crossing(sampleY, cx, cy, ax, ay, -Infinity)); // prettier-ignore
        fromX = Math.max(minX, Math.floor(lo - slack));
        toX = Math.min(maxX, Math.ceil(hi + slack));
      }
      for (let x = fromX; x <= toX; x++) {
        const sampleX = x + 0.5;
        if (!(ab ? isInside(sampleX, sampleY, bx, by, ax, ay, true) : isInside(sampleX, sampleY, ax, ay, bx, by, false))) continue;
        if (!(bc ? isInside(sampleX, sampleY, cx, cy, bx, by, true) : isInside(sampleX, sampleY, bx, by, cx, cy, false))) continue;
        if (!(ca ? isInside(sampleX, sampleY, ax, ay, cx, cy, true) : isInside(sampleX, sampleY, cx, cy, ax, ay, false))) continue;
        const i = (y - rowFrom) * width + x;
        if (out[i] === NO_TRIANGLE) out[i] = tri;
        if (last !== undefined) last[i] = tri;
      }
    }
  }
  return out;
}

/** Samples of a row from which on its ends are looked for. */
const WIDE = 8;

/** Where the edge p - q crosses a row; `none` where it does not, and where it runs along it, as its ends are those of other edges. */
function crossing(y: number, px: number, py: number, qx: number, qy: number, none: number): number {
  if (py === qy || (py < y && qy < y) || (py > y && qy > y)) return none;
  return px + ((y - py) / (qy - py)) * (qx - px);
}

/** Inside of the edge p -> q of a triangle of positive area in y-down pixels, or where it runs `against` that way, of q -> p; on the edge only if it
 *  is a top or left one. */
function isInside(x: number, y: number, px: number, py: number, qx: number, qy: number, against: boolean): boolean {
  const e = (qx - px) * (y - py) - (qy - py) * (x - px);
  if (e !== 0) return against ? e < 0 : e > 0;
  const dy = against ? py - qy : qy - py;
  return dy < 0 || (dy === 0 && (against ? px > qx : qx > px));
}

/** Sorts a tile's triangles into bands of `rows` texel rows (counting sort, linear). A triangle stands in every band it touches. */
export function binTriangles(t: UvTriangles, H: number, rows: number): { offsets: Uint32Array; items: Uint32Array } {
  const { uvs, corners, selected } = t;
  const bands = Math.ceil(H / rows);
  const offsets = new Uint32Array(bands + 1);
  const [, v0] = t.origin;
  const first = new Uint16Array(selected.length);
  const last = new Uint16Array(selected.length);
  for (let i = 0; i < selected.length; i++) {
    const corner = 3 * selected[i];
    const a = uvs[2 * corners[corner] + 1];
    const b = uvs[2 * corners[corner + 1] + 1];
    const c = uvs[2 * corners[corner + 2] + 1];
    const top = (v0 + 1 - Math.max(a, b, c)) * H;
    const bottom = (v0 + 1 - Math.min(a, b, c)) * H;
    const to = Math.max(-1, Math.min(bands - 1, Math.floor(bottom / rows)));
    // one that lies outside stands in no band
    first[i] = Math.min(bands, Math.max(0, Math.floor(top / rows)));
    last[i] = to + 1;
    for (let k = first[i]; k <= to; k++) offsets[k + 1]++;
  }
  for (let k = 0; k < bands; k++) offsets[k + 1] += offsets[k];
  const fill = offsets.slice();
  const items = new Uint32Array(offsets[bands]);
  for (let i = 0; i < selected.length; i++) for (let k = first[i]; k < last[i]; k++) items[fill[k]++] = selected[i];
  return { offsets, items };
}
