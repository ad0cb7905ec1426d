import type { AxisOrder } from '../encode/axis-order';
import { fromChannels } from '../encode/axis-order';
import { decodeValue } from '../encode/encoding';
import type { VectorFrameKind } from '../extract/extract-options';
import type { FrameRule } from '../frames/derivative-frames';
import { DerivativeFrameAt, derivativeFrames } from '../frames/derivative-frames';
import { FrameAt, lowFrames } from '../frames/low-frames';
import { TangentFrame } from '../frames/tangent-frame';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, faceOfCorner, requireUvs } from '../mesh/poly-mesh';
import type { Raster } from '../raster/field';
import type { TileRasters } from '../raster/raster-tiles';
import { requireTiles, tileOf } from '../raster/raster-tiles';
import type { Allocate } from '../runtime/threads';
import { ownMemory } from '../runtime/threads';
import type { TextureFilter } from '../raster/sample';
import { sampleRaster } from '../raster/sample';
import { InvalidInputError } from '../runtime/errors';
import type { Base, BaseSurface } from '../subdivision/base-surface';
import { baseSurfaceAt } from '../subdivision/base-surface';
import type { SurfaceOptions } from '../mesh/surface-rules';
import { faceTiles, tileOrigin, tilesInUse } from '../uv/tiles';
import type { CrackedMesh } from './cracked-mesh';
import { crackAtSeams } from './cracked-mesh';
import type { MovingKind } from '../raster/map-kinds';
import { hasAxes } from '../raster/map-kinds';

/** The base taken apart along its UV seams, as a renderer reads it. @param allocate gives the memory of `faceVerts`
 *  @throws InvalidInputError NO_UVS; NO_TILE for a face outside the numbered tiles */
export function crackBase(low: PolyMesh, base: BaseSurface, subdivisions: number, allocate?: Allocate): CrackedMesh {
  const { uvs, faceUvs } = requireUvs(low);
  const lowTiles = faceTiles(low, uvs, faceUvs);
  const tiles = new Uint16Array(faceCount(base.mesh));
  const perCorner = subdivisions === 0 ? 0 : 4 ** (subdivisions - 1);
  requireNumbered(lowTiles);
  for (let f = 0; f < lowTiles.length; f++) {
    if (perCorner === 0) tiles[f] = lowTiles[f];
    else tiles.fill(lowTiles[f], low.faceOffsets[f] * perCorner, low.faceOffsets[f + 1] * perCorner);
  }
  return crackAtSeams(base.mesh, tiles, allocate);
}

/** @throws InvalidInputError NO_TILE for a face outside the numbered tiles */
export function requireNumbered(lowTiles: Uint16Array): void {
  const face = lowTiles.indexOf(0);
  if (face >= 0)
    throw new InvalidInputError('NO_TILE', `Face ${face} lies outside the numbered UV tiles; move its island and write the mesh again.`, {
      face,
    });
}

/** How the values of a displacement map become movements. */
export interface DisplacementConvention {
  readonly kind: MovingKind;
  /** One for all channels, or one a channel. */
  readonly midpoint: number | readonly number[];
  readonly scale: number | readonly number[];
  /** Scalar maps: the channel that holds them. */
  readonly channel: number;
  /** Vector maps. */
  readonly axes: AxisOrder;
  readonly frame: VectorFrameKind;
  /** Level that derivative frames are computed on; null: the level that is displaced. */
  readonly frameLevel: number | null;
  readonly frameRule: FrameRule;
}

/** The light mesh's base at the render's subdivisions, ready to be moved. */
export interface DisplacedBase {
  readonly low: PolyMesh;
  readonly rule: Base;
  readonly surface: SurfaceOptions;
  readonly base: BaseSurface;
  readonly cracked: CrackedMesh;
}

/** Positions of all copies, float32[3 N], each moved by its own read of the map: along its normal, or by a vector in its frame. Tiles are read one
 *  after another.
 *  @param how `decoded`: whether the maps hold scene units already, components in their own order: a field; `allocate`: gives the memory of the answer
 *  @throws InvalidInputError NO_TILE when a tile in use has no map; BAD_OPTION for a vector map of one channel */
export async function displace(
  on: DisplacedBase,
  maps: TileRasters,
  filter: TextureFilter,
  convention: DisplacementConvention,
  { decoded = false, allocate = ownMemory }: { readonly decoded?: boolean; readonly allocate?: Allocate } = {},
): Promise<Float32Array> {
  const tiles = tilesInUse(on.cracked.tiles);
  requireTiles(tiles, maps);
  const out = new Float32Array(allocate(12 * on.cracked.points.length));
  const move = hasAxes(convention.kind) ? byVectors(on, out, filter, convention, decoded) : alongNormals(on, out, filter, convention, decoded); // prettier-ignore
  for (const tile of tiles) move(tile, await tileOf(maps, tile));
  return out;
}

/** Moves the copies of one tile. */
type MoveTile = (tile: number, raster: Raster) => void;

const ofChannel = (x: number | readonly number[], channel: number): number => (typeof x === 'number' ? x : x[channel]);

function alongNormals(
  { base, cracked }: DisplacedBase,
  out: Float32Array,
  filter: TextureFilter,
  { midpoint, scale, channel }: DisplacementConvention,
  decoded: boolean,
): MoveTile {
  const { positions: p } = base.mesh;
  const { normals: n } = base;
  const range = { midpoint: ofChannel(midpoint, channel), scale: ofChannel(scale, channel) };
  return (tile, raster) => {
    for (let i = 0; i < cracked.points.length; i++) {
      if (cracked.tiles[i] !== tile) continue;
      const read = sampleRaster(raster, decoded ? 0 : channel, cracked.uvs[2 * i], cracked.uvs[2 * i + 1], filter);
      const d = decoded ? read : decodeValue(range, read);
      const v = 3 * cracked.points[i];
      const length = Math.sqrt(n[v] ** 2 + n[v + 1] ** 2 + n[v + 2] ** 2);
      const k = length === 0 ? 0 : d / length;
      out[3 * i] = p[v] + k * n[v];
      out[3 * i + 1] = p[v + 1] + k * n[v + 1];
      out[3 * i + 2] = p[v + 2] + k * n[v + 2];
    }
  };
}

function byVectors(
  on: DisplacedBase,
  out: Float32Array,
  filter: TextureFilter,
  { midpoint, scale, axes, frame, frameLevel, frameRule }: DisplacementConvention,
  decoded: boolean,
): MoveTile {
  const { base, cracked } = on;
  const { positions: p } = base.mesh;
  const ranges = [0, 1, 2].map((k) => ({ midpoint: ofChannel(midpoint, k), scale: ofChannel(scale, k) }));
  const frames = frame === 'object' ? null : new CopyFrames(on, frame, frameLevel, frameRule);
  const read = new Float64Array(3);
  const move = new Float64Array(3);
  return (tile, raster) => {
    const { channels } = raster;
    if (channels < 3)
      throw new InvalidInputError(
        'BAD_OPTION',
        `The map of tile ${tile} has ${channels} channel${channels === 1 ? '' : 's'}; a vector map has three, so prove it as a scalar map or choose another file.`,
        { option: 'kind', tile },
      );
    for (let i = 0; i < cracked.points.length; i++) {
      if (cracked.tiles[i] !== tile) continue;
      for (let k = 0; k < 3; k++) {
        const c = sampleRaster(raster, k, cracked.uvs[2 * i], cracked.uvs[2 * i + 1], filter);
        read[k] = decoded ? c : decodeValue(ranges[k], c);
      }
      if (decoded) move.set(read);
      else fromChannels(move, axes, read[0], read[1], read[2]);
      if (frames !== null) frames.at(i).fromFrame(move, 0, move[0], move[1], move[2]);
      const v = 3 * cracked.points[i];
      for (let k = 0; k < 3; k++) out[3 * i + k] = p[v + k] + move[k];
    }
  };
}

/** The tangent frame of each copy. A copy takes it from the first face that has it. */
class CopyFrames {
  private readonly corners: Uint32Array;
  private readonly derivative: DerivativeFrameAt | null = null;
  private readonly mikk: FrameAt | null = null;

  constructor(
    private readonly on: DisplacedBase,
    frame: 'mikk' | 'derivative',
    frameLevel: number | null,
    frameRule: FrameRule,
  ) {
    const { low, rule, surface, base, cracked } = on;
    const { faceVerts } = cracked;
    this.corners = new Uint32Array(cracked.points.length);
    for (let c = faceVerts.length - 1; c >= 0; c--) this.corners[faceVerts[c]] = c;
    if (frame === 'mikk') this.mikk = new FrameAt(lowFrames(low));
    else {
      const level = frameLevel ?? base.level;
      const at = level === base.level ? base : baseSurfaceAt(low, rule, level, surface);
      this.derivative = new DerivativeFrameAt(derivativeFrames(at.mesh, base.level - level, frameRule));
    }
  }

  at(copy: number): TangentFrame {
    const { low, base, cracked } = this.on;
    const c = this.corners[copy];
    if (this.mikk !== null) {
      const [u0, v0] = tileOrigin(cracked.tiles[copy]);
      this.mikk.set(this.lowFaceOf(c, low, base.level), cracked.uvs[2 * copy] + u0, cracked.uvs[2 * copy + 1] + v0);
      return this.mikk;
    }
    const v = 3 * cracked.points[copy];
    const { normals: n } = base;
    const length = Math.sqrt(n[v] ** 2 + n[v + 1] ** 2 + n[v + 2] ** 2) || 1;
    this.derivative?.set(c, c, c, 1, 0, 0, n[v] / length, n[v + 1] / length, n[v + 2] / length);
    return this.derivative ?? new TangentFrame();
  }

  /** The light mesh's face under a corner of the refined mesh: every corner of it has 4^(level - 1) children of four corners. */
  private lowFaceOf(corner: number, low: PolyMesh, level: number): number {
    return faceOfCorner(low, level === 0 ? corner : Math.floor(corner / 4 ** level));
  }
}
