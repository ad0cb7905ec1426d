import type { MapKind } from '../../raster/map-kinds';
import type { KindFacts } from '../../raster/map-record';
import type { ExtractOptions } from '../extract-options';
import type { SculptArrays } from '../sculpt-search';
import type { ColourSpec } from './colour';
import { colour } from './colour';
import type { CurvatureSpec } from './curvature';
import { curvature } from './curvature';
import type { HollowsSpec } from './hollows';
import { hollows } from './hollows';
import type { KindWork, PassParts } from './kind-work';
import type { BandRows, Measure } from './measure';
import type { NormalSpec } from './normal';
import { normal } from './normal';
import type { OcclusionSpec } from './occlusion';
import { occlusion } from './occlusion';
import type { ScalarSpec } from './scalar';
import { scalar } from './scalar';
import type { ThicknessSpec } from './thickness';
import { thickness } from './thickness';
import type { VectorSpec } from './vector';
import { vector } from './vector';

interface Specs {
  readonly scalar: ScalarSpec;
  readonly vector: VectorSpec;
  readonly normal: NormalSpec;
  readonly occlusion: OcclusionSpec;
  readonly curvature: CurvatureSpec;
  readonly hollows: HollowsSpec;
  readonly thickness: ThicknessSpec;
  readonly colour: ColourSpec;
}
/** One map to measure, in shareable arrays. */
export type MeasureSpec = Specs[MapKind];

const WORK: { readonly [K in MapKind]: KindWork<Specs[K]> } = { scalar, vector, normal, occlusion, curvature, hollows, thickness, colour };
// the kind of a spec chooses its own work, which the compiler cannot follow
const workOf = (spec: { readonly kind: MapKind }) => WORK[spec.kind] as unknown as KindWork<MeasureSpec>;

export const prepareMeasure = (kind: MapKind, parts: PassParts): MeasureSpec => WORK[kind].prepare(parts);
/** @param rows what is measured, where that is whole rows of a tile; null where samples stand alone */
export const createMeasure = (spec: MeasureSpec, texels: number, sculpt: SculptArrays, rows: BandRows | null): Measure =>
  workOf(spec).measure(spec, texels, sculpt, rows);
export const measureAtTile = (spec: MeasureSpec, tile: number): MeasureSpec => workOf(spec).atTile?.(spec, tile) ?? spec;
/** @param colourSpace what the sculpt's point colours are */
export const factsOfMeasure = (spec: MeasureSpec, options: ExtractOptions, colourSpace: 'sRGB' | 'linear'): KindFacts[MapKind] =>
  workOf(spec).facts(spec, options, colourSpace);
/** Whether the same values mean the same on both sides of a seam. Heights are written as vectors along the normal that both sides share. */
export const sidesAlike = (spec: MeasureSpec): boolean => workOf(spec).sidesAlike?.(spec) ?? true;
