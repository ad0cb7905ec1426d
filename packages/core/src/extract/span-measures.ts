import type { LowFrames } from '../frames/low-frames';
import { lowFrames } from '../frames/low-frames';
import { extentOf } from '../mesh/bounds';
import { meanEdgeLength } from '../mesh/edge-length';
import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { heeds } from '../raster/map-kinds';
import type { RunControl } from '../runtime/progress';
import { throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeU32 } from '../runtime/threads';
import type { ExtractOptions } from './extract-options';
import type { PassParts } from './kinds/kind-work';
import type { MeasureSpec } from './kinds/table';
import { prepareMeasure } from './kinds/table';
import { meanCurvature, meanCurvatureByThreads } from './mean-curvature';
import type { AnswerSource, PointValues } from './point-values';
import type { SpanBase } from './span-base';

/** Shares values a point of the sculpt: as they are, or carried to the base's points. */
export interface PointSource {
  readonly sculpt: (own: Float32Array, width: 1 | 3) => PointValues;
  readonly base: (own: Float32Array, width: 1 | 3) => PointValues;
}

interface MeasureInput {
  readonly o: ExtractOptions;
  readonly low: PolyMesh;
  readonly sculpt: PolyMesh;
  readonly base: SpanBase;
  readonly source: AnswerSource;
  /** Same-parameter points of the sculpt; null for a free one. */
  readonly match: Float32Array | null;
  readonly values: PointSource;
  /** A point of the sculpt, where it was found beforehand. */
  readonly curvature: Float32Array | null;
  readonly placed: (values: Float32Array) => Float32Array;
  readonly threads: Threads;
}

/** The ball that curvature is averaged over: its radius in scene units and in mean edges of the sculpt, null where it has none. */
function ballOf(o: ExtractOptions, sculpt: PolyMesh): { readonly radius: number; readonly radiusEdges: number | null } {
  // not the box's diagonal: what is automatic must not change when the asset is turned
  const radius = o.radius === 'auto' ? extentOf(sculpt.positions) / 100 : o.radius;
  const edge = meanEdgeLength(sculpt);
  return { radius, radiusEdges: edge > 0 ? radius / edge : null };
}

/** Curvature by all threads, for maps that show it; null where none does. @throws CancelledError */
export const curvatureBeside = (
  o: ExtractOptions,
  sculpt: PolyMesh,
  threads: Threads,
  control?: RunControl,
): Promise<Float32Array | null> =>
  o.maps.some((kind) => heeds(kind, 'radius'))
    ? meanCurvatureByThreads(sculpt, ballOf(o, sculpt).radius, threads, control)
    : Promise.resolve(null);

/** One map asked for, each with what threads need to measure it. */
export function measuresOf(input: MeasureInput, control?: RunControl): readonly MeasureSpec[] {
  const parts = partsOf(input, control);
  return input.o.maps.map((kind) => {
    throwIfAborted(control);
    return prepareMeasure(kind, parts);
  });
}

function lazily<T>(make: () => T): () => T {
  let made: T | null = null;
  return () => (made ??= make());
}

function partsOf(input: MeasureInput, control?: RunControl): PassParts {
  const { o, low, sculpt, base, source, match, values, placed, threads } = input;
  const share = source === 'parameter' ? values.base : values.sculpt;
  const extent = lazily(() => extentOf(sculpt.positions));
  return {
    options: o,
    source,
    match,
    get extent() {
      return extent();
    },
    positions: lazily(() =>
      source === 'parameter' && match !== null ? { width: 3, sculpt: null, base: match } : values.sculpt(sculpt.positions, 3),
    ),
    normals: lazily(() => share(vertexNormals(sculpt), 3)),
    colours: () => share(sculpt.colors ?? new Float32Array(0), 3),
    shared: (own) => share(own, 1),
    mikkFrames: lazily(() => shareFrames(lowFrames(low), placed, threads)),
    derivativeFrames: () => {
      if (base.frames === null) throw new Error('a map wants frames that were not asked for');
      return base.frames;
    },
    curvature: lazily(() => {
      const { radius, radiusEdges } = ballOf(o, sculpt);
      return { values: input.curvature ?? meanCurvature(sculpt, radius, control), radius, radiusEdges };
    }),
  };
}

function shareFrames(frames: LowFrames, placed: (values: Float32Array) => Float32Array, threads: Threads): LowFrames {
  return {
    uvs: placed(frames.uvs),
    tangents: placed(frames.tangents),
    normals: placed(frames.normals),
    faceTriangles: placeU32(frames.faceTriangles, threads.allocate),
  };
}
