/** Whether a flattened chart's border crosses itself. Where no triangle is turned over, a disc then covers no place twice. */
export function crossesItself(uv: Float64Array, border: Uint32Array): boolean {
  const n = border.length;
  let [x0, y0, x1, y1, whole] = [Infinity, Infinity, -Infinity, -Infinity, 0];
  for (let i = 0; i < n; i++) {
    const [a, b] = [2 * border[i], 2 * border[(i + 1) % n]];
    x0 = Math.min(x0, uv[a]);
    y0 = Math.min(y0, uv[a + 1]);
    x1 = Math.max(x1, uv[a]);
    y1 = Math.max(y1, uv[a + 1]);
    whole += Math.hypot(uv[a] - uv[b], uv[a + 1] - uv[b + 1]);
  }
  // cells about as long as an edge: each edge lies in a few
  const cell = Math.max((2 * whole) / n, Math.max(x1 - x0, y1 - y0) / 2048, 1e-30);
  const columns = Math.floor((x1 - x0) / cell) + 1;
  const cells = new Map<number, number[]>();
  for (let i = 0; i < n; i++) {
    const [a, b] = [2 * border[i], 2 * border[(i + 1) % n]];
    const [ci, cj] = [Math.floor((Math.min(uv[a], uv[b]) - x0) / cell), Math.floor((Math.min(uv[a + 1], uv[b + 1]) - y0) / cell)];
    const [di, dj] = [Math.floor((Math.max(uv[a], uv[b]) - x0) / cell), Math.floor((Math.max(uv[a + 1], uv[b + 1]) - y0) / cell)];
    for (let v = cj; v <= dj; v++)
      for (let u = ci; u <= di; u++) {
        const list = cells.get(v * columns + u);
        if (list === undefined) cells.set(v * columns + u, [i]);
        else {
          for (const k of list) if (cross(uv, border, i, k)) return true;
          list.push(i);
        }
      }
  }
  return false;
}

function cross(uv: Float64Array, border: Uint32Array, i: number, k: number): boolean {
  const n = border.length;
  if (i === k || (i + 1) % n === k || (k + 1) % n === i) return false;
  const at = (j: number): readonly [number, number] => [uv[2 * border[j % n]], uv[2 * border[j % n] + 1]];
  const [p, q, r, s] = [at(i), at(i + 1), at(k), at(k + 1)];
  return side(p, q, r) * side(p, q, s) < 0 && side(r, s, p) * side(r, s, q) < 0;
}

type Point = readonly [number, number];
const side = (o: Point, e: Point, x: Point): number => Math.sign((e[0] - o[0]) * (x[1] - o[1]) - (e[1] - o[1]) * (x[0] - o[0]));

/** Points of the convex hull, counter-clockwise (Andrew's monotone chain). @param points of `uv` that are looked at */
export function convexHull(uv: Float64Array, points: Uint32Array): Point[] {
  const sorted = Array.from(points, (p): Point => [uv[2 * p], uv[2 * p + 1]]).sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const half = (list: readonly Point[]): Point[] => {
    const hull: Point[] = [];
    for (const p of list) {
      while (hull.length > 1 && side(hull[hull.length - 2], hull[hull.length - 1], p) <= 0) hull.pop();
      hull.push(p);
    }
    return hull.slice(0, -1);
  };
  return [...half(sorted), ...half(sorted.reverse())];
}

export const polygonArea = (points: readonly Point[]): number =>
  points.reduce((sum, [x, y], i) => {
    const [u, v] = points[(i + 1) % points.length];
    return sum + (x * v - u * y) / 2;
  }, 0);
