import type { BitGrid } from './bit-grid';
import { bitGrid, markTriangle } from './bit-grid';
import { convexHull } from './border';

/** An island as it was laid flat. */
export interface FlatIsland {
  readonly uv: Float64Array; // 2 N, any unit, the same for all
  readonly triangles: Uint32Array; // 3 T
}

/** The same, turned and moved so that its box stands at the origin. */
export interface BoxedIsland extends FlatIsland {
  readonly area: number;
  readonly width: number;
  readonly height: number;
}
/** Where a boxed island lies: its lower left corner in cells of a tile's raster, after so many turns by quarters. */
export interface IslandPlace {
  readonly quarter: number;
  readonly x: number;
  readonly y: number;
  readonly tile: number;
}

/** Turned by an angle, or to where its box is smallest (an edge of the hull lies along it), and moved to the origin. */
export function inBox(uv: Float64Array, triangles: Uint32Array, angle: number | null): BoxedIsland {
  const hull = convexHull(
    uv,
    Uint32Array.from({ length: uv.length / 2 }, (_, i) => i),
  );
  let best = { area: Infinity, cos: Math.cos(angle ?? 0), sin: Math.sin(angle ?? 0) };
  hull.forEach(([x, y], i) => {
    const [u, v] = hull[(i + 1) % hull.length];
    const length = Math.hypot(u - x, v - y);
    if (length === 0 || angle !== null) return;
    const [cos, sin] = [(u - x) / length, (y - v) / length];
    const along = hull.map(([a, b]) => [a * cos - b * sin, a * sin + b * cos]);
    const [xs, ys] = [along.map(([a]) => a), along.map(([, b]) => b)];
    const area = (Math.max(...xs) - Math.min(...xs)) * (Math.max(...ys) - Math.min(...ys));
    if (area < best.area) best = { area, cos, sin };
  });
  const out = new Float64Array(uv.length);
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < uv.length; i += 2) {
    out[i] = uv[i] * best.cos - uv[i + 1] * best.sin;
    out[i + 1] = uv[i] * best.sin + uv[i + 1] * best.cos;
    [x0, y0, x1, y1] = [Math.min(x0, out[i]), Math.min(y0, out[i + 1]), Math.max(x1, out[i]), Math.max(y1, out[i + 1])];
  }
  for (let i = 0; i < uv.length; i += 2) {
    out[i] -= x0;
    out[i + 1] -= y0;
  }
  let area = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [2 * triangles[t], 2 * triangles[t + 1], 2 * triangles[t + 2]];
    area += Math.abs((out[b] - out[a]) * (out[c + 1] - out[a + 1]) - (out[b + 1] - out[a + 1]) * (out[c] - out[a])) / 2;
  }
  return { uv: out, triangles, area, width: x1 - x0, height: y1 - y0 };
}

/** The cells of a raster that an island touches. */
export function shapeOf({ uv, triangles, width, height }: BoxedIsland, scale: number): BitGrid {
  const grid = bitGrid(Math.floor(width * scale) + 1, Math.floor(height * scale) + 1);
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [2 * triangles[t], 2 * triangles[t + 1], 2 * triangles[t + 2]];
    markTriangle(grid, [uv[a] * scale, uv[a + 1] * scale, uv[b] * scale, uv[b + 1] * scale, uv[c] * scale, uv[c + 1] * scale]);
  }
  return grid;
}

/** UVs of an island at its place. @param cells of a tile's side */
export function uvsAt(
  { uv, width, height }: BoxedIsland,
  { quarter, x, y, tile }: IslandPlace,
  scale: number,
  cells: number,
): Float32Array {
  // the raster's own size, whose corner a turn goes about
  const [w, h] = [(Math.floor(width * scale * cells) + 1) / cells, (Math.floor(height * scale * cells) + 1) / cells];
  const out = new Float32Array(uv.length);
  for (let i = 0; i < uv.length; i += 2) {
    let [u, v] = [uv[i] * scale, uv[i + 1] * scale];
    if (quarter === 1) [u, v] = [h - v, u];
    else if (quarter === 2) [u, v] = [w - u, h - v];
    else if (quarter === 3) [u, v] = [v, w - u];
    out[i] = (tile % 10) + u + x / cells;
    out[i + 1] = Math.floor(tile / 10) + v + y / cells;
  }
  return out;
}
