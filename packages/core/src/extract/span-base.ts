import { atTriangles, derivativeFrames } from '../frames/derivative-frames';
import type { PolyMesh } from '../mesh/poly-mesh';
import { requireUvs } from '../mesh/poly-mesh';
import type { Triangles } from '../mesh/triangulate';
import { triangleVerts, triangulate } from '../mesh/triangulate';
import { hasAxes } from '../raster/map-kinds';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Allocate } from '../runtime/threads';
import { placeF32 } from '../runtime/threads';
import type { BaseSurface, MeasuringBase, MeasuringOptions } from '../subdivision/base-surface';
import { baseSurfaceAt, baseSurfaceForMeasuring } from '../subdivision/base-surface';
import type { ExtractOptions } from './extract-options';
import type { DerivativeFrameArrays } from './kinds/vector-frame';
import type { BaseTriangles, TileBins } from './tile-bins';
import { binsOfOnlyTile } from './tile-bins';

/** A base, its triangles and its frames, in memory that all threads see but for `triangles`. */
export interface SpanBase extends BaseSurface {
  readonly triangles: Triangles;
  readonly verts: Uint32Array; // 3 T, points of its triangles
  readonly uvCorners: Uint32Array; // 3 T, their UVs
  readonly lowFaces: Uint32Array; // T, the light mesh's face under each
  /** Of the only tile, a range of triangles after the other; empty where there are several tiles, and where somebody else makes them. */
  readonly bins: readonly TileBins[];
  /** Null where no map is measured in them. */
  readonly frames: DerivativeFrameArrays | null;
}

/** Level that derivative frames are computed on where nobody says: no render needs them finer. */
const FRAME_LEVEL = 4;

export interface SpanBaseControl extends RunControl, Partial<Pick<MeasuringOptions, 'onLevel'>> {
  /** Hears of the base's triangles before all else is made of them, and makes their bins, which the base has not got then. */
  readonly onTriangles?: (triangles: BaseTriangles) => void;
}

/** All that is made of the light mesh alone.
 *  @param levels between it and the sculpt; null for a free one  @throws InvalidInputError NO_UVS; CancelledError */
export function spanBase(
  low: PolyMesh,
  o: ExtractOptions,
  levels: number | null,
  allocate: Allocate,
  control: SpanBaseControl = {},
): SpanBase {
  const isFramed = o.maps.some(hasAxes) && o.vectorFrame === 'derivative';
  const alsoAt = isFramed ? (o.frameLevel ?? Math.min(levels ?? FRAME_LEVEL, FRAME_LEVEL)) : null;
  const measuring = { atLeast: levels ?? 0, texels: o.width * o.height, surface: o.surface, alsoAt, onLevel: control.onLevel ?? null };
  const { base, also } = baseSurfaceForMeasuring(low, o.base, measuring, control);
  throwIfAborted(control);
  const { mesh, normals, level } = base;
  const { uvs: own, faceUvs } = requireUvs(mesh);
  const uvs = placeF32(own, allocate);
  const triangles = triangulate(mesh);
  const uvCorners = new Uint32Array(allocate(triangles.corners.byteLength));
  for (let i = 0; i < uvCorners.length; i++) uvCorners[i] = faceUvs[triangles.corners[i]];
  const lowFaces = lowFacesOf(low, level, triangles.faces, allocate);
  const { onTriangles } = control;
  onTriangles?.({ lowFaces, uvCorners, uvs });
  return {
    mesh: { ...mesh, positions: placeF32(mesh.positions, allocate), uvs },
    normals: placeF32(normals, allocate),
    level,
    triangles,
    verts: triangleVerts(mesh, triangles, allocate),
    uvCorners,
    lowFaces,
    bins: onTriangles ? [] : binsOfOnlyTile(low, { lowFaces, uvCorners, uvs }, o.height, allocate),
    frames: isFramed ? framesOf(low, o, levels, { base, also }, triangles, allocate) : null,
  };
}

function framesOf(
  low: PolyMesh,
  o: ExtractOptions,
  levels: number | null,
  { base, also }: MeasuringBase,
  triangles: Triangles,
  allocate: Allocate,
): DerivativeFrameArrays {
  const level = o.frameLevel ?? Math.min(levels ?? base.level, FRAME_LEVEL);
  const known = [base, also].find((surface) => surface?.level === level);
  const at = known ?? baseSurfaceAt(low, o.base, level, o.surface);
  const { corners, tangents } = atTriangles(derivativeFrames(at.mesh, base.level - level), triangles.corners, allocate);
  return { level, frames: { corners, tangents: placeF32(tangents, allocate) } };
}

/** The light mesh's face under each refined face: children of a face follow each other. `faces` ascends. */
export function lowFacesOf(low: PolyMesh, level: number, faces: Uint32Array, allocate: Allocate): Uint32Array {
  const out = new Uint32Array(allocate(4 * faces.length));
  const perCorner = level === 0 ? 0 : 4 ** (level - 1);
  let f = 0;
  for (let t = 0; t < faces.length; t++) {
    if (perCorner === 0) f = faces[t];
    else while (faces[t] >= low.faceOffsets[f + 1] * perCorner) f++;
    out[t] = f;
  }
  return out;
}
