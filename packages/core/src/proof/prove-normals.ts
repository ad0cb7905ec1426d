import { angleBetween, decodeNormal } from '../encode/encode-normals';
import type { NormalConvention } from '../encode/encoding';
import { NORMAL_RANGE } from '../encode/encoding';
import { NormalAt } from '../extract/normal-at';
import { Place } from '../extract/place';
import { SculptSearch } from '../extract/sculpt-search';
import type { SpanSurfaces } from '../extract/prepare-span';
import type { TileRasters } from '../raster/raster-tiles';
import { requireTiles, tileOf } from '../raster/raster-tiles';
import { sampleRaster } from '../raster/sample';
import type { TextureFilter } from '../raster/sample';
import type { Raster } from '../raster/field';
import { diagonalOf } from '../mesh/bounds';
import { InvalidInputError } from '../runtime/errors';
import { resolveOptions } from '../runtime/options';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import { tileOrigin, tilesInUse } from '../uv/tiles';
import { requireNumbered } from './displace';
import { MISSED_ALLOWED } from './allowed';
import { pooledQuantile, weightedFigures } from './statistics';
import { triangleArea } from '../mesh/surface-samples';
import type { WorstPlace } from './worst-places';
import { WORST_APART, WORST_PLACES, worstPlaces } from './worst-places';
import { isNormals } from '../extract/kinds/normal';

export interface NormalProofOptions extends NormalConvention {
  readonly filter: TextureFilter;
  readonly midpoint: number;
  readonly scale: number;
  /** Degrees at the 95th percentile; null gives no verdict. */
  readonly tolerance: number | null;
  readonly missedShare: number | null;
  readonly clippedShare: number | null;
}

export const NORMAL_PROOF_DEFAULTS: NormalProofOptions = {
  ...NORMAL_RANGE,
  green: 'up',
  keepBlue: true,
  filter: 'bilinear',
  tolerance: null,
  missedShare: null,
  clippedShare: null,
};

export interface AngleFigures {
  readonly mean: number;
  readonly p95: number;
  readonly max: number;
}

/** Angles in degrees over the surface, by area. */
export interface NormalProofReport {
  readonly subdivisions: number;
  /** Null where nothing could be compared. */
  readonly normalAngle: AngleFigures | null;
  /** The same without the map: the base's own normals. */
  readonly bareAngle: AngleFigures | null;
  readonly missedShare: number | null;
  readonly clippedShare: number | null;
  /** Area where the sculpt gave no normal to compare with, as a share. */
  readonly unmatchedShare: number;
  readonly tolerance: number | null;
  readonly passed: boolean | null;
}

export interface NormalProof {
  readonly report: NormalProofReport;
  /** Of the base that was compared on, float32[P]: the largest angle of the triangles around each of its points, degrees. */
  readonly errors: Float32Array;
  readonly worst: readonly WorstPlace[];
}

const CHECK_EVERY = 50_000;

/** Reads the map, tile after tile, at the middle of every triangle of the base, turns it through the frame there into a direction, and compares it with the
 *  sculpt's normal at the matching place.
 *  @param span prepared with the normal map's own base, frame, match and surface rules
 *  @throws InvalidInputError NO_TILE when a tile in use has no map; CancelledError */
export async function proveNormals(
  span: SpanSurfaces,
  maps: TileRasters,
  options: Partial<NormalProofOptions> = {},
  control?: RunControl,
): Promise<NormalProof> {
  const o = resolveOptions('proof', NORMAL_PROOF_DEFAULTS, options);
  const { arrays } = span;
  const measure = span.measures.find(isNormals);
  if (measure === undefined) throw new InvalidInputError('BAD_OPTION', 'These surfaces were not prepared for normals.', { option: 'maps' });
  const T = arrays.verts.length / 3;
  const search = new SculptSearch(span.sculpt);
  const { source } = measure;
  const normalAt = new NormalAt(source, measure.normals, measure.frames);
  const read = new Float64Array(3);
  const angles = new Float32Array(T);
  const bare = new Float32Array(T);
  const weights = new Float64Array(T);
  let unmatched = 0;
  let all = 0;
  let done = 0;
  const compare = (t: number, tile: number, map: Raster, place: Place): void => {
    if (done++ % CHECK_EVERY === 0) {
      throwIfAborted(control);
      control?.onProgress?.(done / T, 'comparing normals');
    }
    const area = triangleArea(arrays.positions, arrays.verts, t);
    if (area === 0) return;
    const [u, v] = middleUv(span, t);
    const [u0, v0] = tileOrigin(tile);
    all += area;
    const whole = place.set(t, u - u0, v - v0);
    const answered = whole && (source === 'parameter' || (source === 'hit' ? search.along(place) : search.nearest(place)));
    if (!answered || !normalAt.find(place, search, arrays.lowFaces[t], u, v)) {
      unmatched += area;
      return;
    }
    const at = (channel: number): number => sampleRaster(map, channel, u - u0, v - v0, o.filter);
    decodeNormal(read, o, o, at(0), at(1), at(2));
    weights[t] = area;
    const [x, y, z] = normalAt.object;
    angles[t] = normalAt.decode(read, read[0], read[1], read[2]) ? angleBetween(read, x, y, z) : 180;
    read.set([place.nx, place.ny, place.nz]);
    bare[t] = angleBetween(read, x, y, z);
  };
  requireNumbered(span.lowTiles);
  const tiles = tilesInUse(span.lowTiles);
  requireTiles(tiles, maps);
  for (const tile of tiles) {
    const map = await tileOf(maps, tile);
    const place = new Place(arrays, uvOf(span, tile), 1, 1);
    for (let t = 0; t < T; t++) if (span.lowTiles[arrays.lowFaces[t]] === tile) compare(t, tile, map, place);
  }
  const unmatchedShare = all === 0 ? 1 : unmatched / all;
  const compared = weights.some((w) => w > 0);
  const normalAngle = compared ? figuresOf(angles, weights) : null;
  const errors = largestAround(angles, arrays.verts, arrays.positions.length / 3);
  const sides = [{ on: 'proof' as const, positions: arrays.positions, normals: arrays.normals, errors, count: errors.length }];
  const report: NormalProofReport = {
    subdivisions: span.base.level,
    normalAngle,
    bareAngle: compared ? figuresOf(bare, weights) : null,
    missedShare: o.missedShare,
    clippedShare: o.clippedShare,
    unmatchedShare,
    tolerance: o.tolerance,
    passed:
      o.tolerance === null || normalAngle === null
        ? null
        : normalAngle.p95 <= o.tolerance && (o.missedShare ?? 0) <= MISSED_ALLOWED && unmatchedShare <= MISSED_ALLOWED,
  };
  return { report, errors, worst: worstPlaces(sides, WORST_PLACES, WORST_APART * diagonalOf(arrays.positions)) };
}

function largestAround(angles: Float32Array, verts: Uint32Array, points: number): Float32Array {
  const out = new Float32Array(points);
  for (let i = 0; i < verts.length; i++) out[verts[i]] = Math.max(out[verts[i]], angles[Math.floor(i / 3)]);
  return out;
}

const uvOf = ({ uvs, uvCorners }: SpanSurfaces, tile: number) => ({
  uvs,
  corners: uvCorners,
  selected: new Uint32Array(0),
  origin: tile === 0 ? ([0, 0] as const) : tileOrigin(tile),
});

function figuresOf(angles: Float32Array, weights: Float64Array): AngleFigures {
  const { mean, max } = weightedFigures(angles, weights);
  return { mean, max, p95: pooledQuantile([{ values: angles, weights }], 0.95) };
}

function middleUv({ uvs, uvCorners }: SpanSurfaces, t: number): readonly [number, number] {
  let u = 0;
  let v = 0;
  for (let k = 0; k < 3; k++) {
    u += uvs[2 * uvCorners[3 * t + k]] / 3;
    v += uvs[2 * uvCorners[3 * t + k] + 1] / 3;
  }
  return [u, v];
}
