import type { LowFrames } from '../../frames/low-frames';
import type { MapKind } from '../../raster/map-kinds';
import type { KindFacts } from '../../raster/map-record';
import type { ExtractOptions } from '../extract-options';
import type { AnswerSource, PointValues } from '../point-values';
import type { SculptArrays } from '../sculpt-search';
import type { BandRows, Measure } from './measure';
import type { DerivativeFrameArrays } from './vector-frame';

/** What the kinds of a pass prepare from. What several of them need is made once, when the first asks for it. */
export interface PassParts {
  readonly options: ExtractOptions;
  /** Where all but heights and same-stack vectors are read. */
  readonly source: AnswerSource;
  /** Same-parameter points of the sculpt, at the base's points; null for a free sculpt. */
  readonly match: Float32Array | null;
  /** Twice the sculpt's largest distance from its centre, scene units. */
  readonly extent: number;
  /** Points, normals and colours of the sculpt, as the source reads them. */
  positions(): PointValues;
  normals(): PointValues;
  colours(): PointValues;
  /** Other values of the sculpt's points, one each, as the source reads them. */
  shared(values: Float32Array): PointValues;
  mikkFrames(): LowFrames;
  derivativeFrames(): DerivativeFrameArrays;
  /** Mean curvature a point of the sculpt, over a ball of `radius` scene units, which spans `radiusEdges` of its edges. */
  curvature(): { readonly values: Float32Array; readonly radius: number; readonly radiusEdges: number | null };
}

/** How a kind of map is measured. `Spec` is what threads need, in shareable arrays. */
export interface KindWork<Spec extends { readonly kind: MapKind }> {
  prepare(parts: PassParts): Spec;
  /** @param rows what is measured, where that is whole rows of a tile; null where samples stand alone */
  measure(spec: Spec, texels: number, sculpt: SculptArrays, rows: BandRows | null): Measure;
  /** What it says of itself in a record, beyond what all say. @param colourSpace what the sculpt's point colours are */
  facts(spec: Spec, options: ExtractOptions, colourSpace: 'sRGB' | 'linear'): KindFacts[Spec['kind']];
  /** The spec for one tile, where tiles differ. */
  atTile?(spec: Spec, tile: number): Spec;
  /** Whether the same numbers mean the same on both sides of a seam; they do where this is left out. */
  sidesAlike?(spec: Spec): boolean;
}
