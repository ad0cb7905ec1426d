import { atTriangles, derivativeFrames } from '../frames/derivative-frames';
import type { LowFrames } from '../frames/low-frames';
import { lowFrames } from '../frames/low-frames';
import { extentOf } from '../mesh/bounds';
import { meanEdgeLength } from '../mesh/edge-length';
import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeU32 } from '../runtime/threads';
import type { BaseSurface } from '../subdivision/base-surface';
import { baseSurfaceAt } from '../subdivision/base-surface';
import type { ExtractOptions, MeasuredKind } from './extract-options';
import { meanCurvature } from './mean-curvature';
import type { MeasureSpec, VectorFrame } from './measures';
import type { AnswerSource, PointValues } from './point-values';

/** Shares values a point of the sculpt: as they are, or carried to the base's points. */
export interface PointSource {
  readonly sculpt: (own: Float32Array, width: 1 | 3) => PointValues;
  readonly base: (own: Float32Array, width: 1 | 3) => PointValues;
}

interface MeasureInput {
  readonly o: ExtractOptions;
  readonly low: PolyMesh;
  readonly sculpt: PolyMesh;
  readonly base: BaseSurface;
  readonly levels: number | null;
  readonly source: AnswerSource;
  /** Same-parameter points of the sculpt; null for a free one. */
  readonly match: Float32Array | null;
  readonly triangles: Uint32Array;
  readonly values: PointSource;
  readonly placed: (values: Float32Array) => Float32Array;
  readonly threads: Threads;
}

/** Level that derivative frames are computed on where nobody says: no render needs them finer. */
const FRAME_LEVEL = 4;

export interface Measures {
  /** One a map asked for. */
  readonly measures: readonly MeasureSpec[];
  /** Level that the vectors' derivative frames are computed on; null for other frames and maps. */
  readonly frameLevel: number | null;
  /** Radius used for curvature and hollows; null for other maps. */
  readonly radius: number | null;
  /** That radius in mean edges of the sculpt; null for other maps. */
  readonly radiusEdges: number | null;
}

/** What each map needs, shared between maps where they need the same. */
export function measuresOf(input: MeasureInput, control?: RunControl): Measures {
  const { o, low, sculpt, base, levels, source, match, values, placed, threads } = input;
  const share = source === 'parameter' ? values.base : values.sculpt;
  const lazily = <T>(make: () => T): (() => T) => {
    let made: T | null = null;
    return () => (made ??= make());
  };
  const mikk = lazily(() => shareFrames(lowFrames(low), placed, threads));
  const normals = lazily(() => share(vertexNormals(sculpt), 3));
  const positions = lazily(() =>
    source === 'parameter' && match !== null ? { width: 3 as const, sculpt: null, base: match } : values.sculpt(sculpt.positions, 3),
  );
  // not the box's diagonal: what is automatic must not change when the asset is turned
  const extent = extentOf(sculpt.positions);
  const radius = o.radius === 'auto' ? extent / 100 : o.radius;
  const curvature = lazily(() => meanCurvature(sculpt, radius, control));
  let frameLevel: number | null = null;
  const vectorFrame = (): VectorFrame => {
    if (o.vectorFrame === 'mikk') return { kind: 'mikk', frames: mikk() };
    if (o.vectorFrame === 'object') return { kind: 'object' };
    frameLevel = o.frameLevel ?? Math.min(levels ?? base.level, FRAME_LEVEL);
    const at = frameLevel === base.level ? base : baseSurfaceAt(low, o.base, frameLevel, o.surface);
    const frames = atTriangles(derivativeFrames(at.mesh, base.level - frameLevel), input.triangles);
    return {
      kind: 'derivative',
      frames: { corners: placeU32(frames.corners, threads.allocate), tangents: placed(frames.tangents) },
    };
  };
  const measureOf = (kind: MeasuredKind): MeasureSpec => {
    throwIfAborted(control);
    switch (kind) {
      case 'scalar':
        return { kind };
      case 'vector':
        return match === null
          ? { kind, source, positions: positions(), frame: vectorFrame() }
          : { kind, source: 'parameter', positions: { width: 3, sculpt: null, base: match }, frame: vectorFrame() };
      case 'normal':
        return { kind, source, normals: normals(), frames: o.frame === 'mikk' ? mikk() : null };
      case 'occlusion':
        return {
          kind,
          source,
          positions: positions(),
          normals: normals(),
          options: {
            rays: o.occlusionRays,
            distance: o.occlusionDistance,
            seed: o.seed,
            liftUnits: LIFT_SHARE * extent,
            farUnits: 2 * extent,
            tile: 0,
          },
        };
      case 'curvature':
        return { kind, source, values: share(curvature(), 1) };
      case 'hollows':
        return {
          kind,
          source,
          values: share(
            curvature().map((h) => Math.max(0, -h * radius)),
            1,
          ),
        };
      case 'colour':
        return { kind, source, values: share(sculpt.colors ?? new Float32Array(0), 3) };
    }
  };
  const measures = o.maps.map(measureOf);
  const averaged = o.maps.some((k) => k === 'curvature' || k === 'hollows');
  const edge = averaged ? meanEdgeLength(sculpt) : 0;
  return { measures, frameLevel, radius: averaged ? radius : null, radiusEdges: edge > 0 ? radius / edge : null };
}

/** How far occlusion rays start off the sculpt, as a share of its extent. */
const LIFT_SHARE = 1e-4;

function shareFrames(frames: LowFrames, placed: (values: Float32Array) => Float32Array, threads: Threads): LowFrames {
  return {
    uvs: placed(frames.uvs),
    tangents: placed(frames.tangents),
    normals: placed(frames.normals),
    faceTriangles: placeU32(frames.faceTriangles, threads.allocate),
  };
}

/** Edges that a ball's radius must span for its mean to be smooth: below, the sculpt's triangles show. */
const SMOOTH_EDGES = 3;

/** What to say of a radius that is too small for the sculpt; null when it is not. @param edges mean edges of the sculpt that it spans */
export const adviseOnRadius = (edges: number | null): string | null =>
  edges === null || edges >= SMOOTH_EDGES
    ? null
    : `the radius spans ${Number(edges.toPrecision(2))} edges of the sculpt, so its triangles show in the map; take at least ${SMOOTH_EDGES}, or a finer level.`;
