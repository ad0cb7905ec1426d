import { FRAME_RULE } from '../frames/derivative-frames';
import type { Field } from '../raster/field';
import { fieldCounts } from '../raster/field';
import type { MapRecord } from '../raster/map-record';
import type { ExtractOptions, MeasuredKind } from './extract-options';
import { isFittable, samplesOf } from './extract-options';
import type { SpanSurfaces } from './prepare-span';

/** What a measured field says of itself.
 *  @param lowHash hash of the light mesh as it is written
 *  @param colourSpace what the sculpt's point colours are; files do not say */
export function fieldRecord(
  span: SpanSurfaces,
  kind: MeasuredKind,
  tile: number,
  field: Field,
  { unit, lowHash, colourSpace = 'sRGB' }: { readonly unit: string; readonly lowHash: string; readonly colourSpace?: 'sRGB' | 'linear' },
): MapRecord {
  const { options: o, base, match, reach, measures } = span;
  const measure = measures.find((m) => m.kind === kind);
  const occlusion = measure?.kind === 'occlusion' ? measure.options : null;
  const { covered, missed, doubtful, mended } = fieldCounts(field);
  const asked = covered + missed;
  const yes = (on: boolean): string => (on ? 'yes' : 'no');
  return {
    kind,
    frame: kind === 'normal' ? o.frame : kind === 'vector' ? o.vectorFrame : 'none',
    base: o.base,
    baseLevel: base.level,
    ...o.surface,
    tile,
    unit,
    filter: 'bilinear',
    lowHash,
    match,
    reach,
    samples: samplesOf(o),
    padding: Number.isFinite(o.padding) ? o.padding : -1,
    covered,
    missed,
    doubtful,
    mended,
    missedShare: asked === 0 ? 0 : missed / asked,
    seamsMatched: yes(o.matchSeams),
    texelsFitted: yes(o.fitTexels && isFittable(kind)),
    normalSource: measure === undefined || measure.kind === 'scalar' ? null : measure.source,
    frameLevel: kind === 'vector' ? span.frameLevel : null,
    frameRule: kind === 'vector' && span.frameLevel !== null ? FRAME_RULE : null,
    radius: kind === 'curvature' || kind === 'hollows' ? span.radius : null,
    rays: occlusion?.rays ?? null,
    seed: occlusion?.seed ?? null,
    lift: occlusion?.liftUnits ?? null,
    distance: occlusion !== null && Number.isFinite(occlusion.distance) ? occlusion.distance : null,
    colourSpace: kind === 'colour' ? colourSpace : null,
    shade: kind === 'colour' ? (o.shade?.by ?? null) : null,
    strength: kind === 'colour' ? (o.shade?.strength ?? null) : null,
    depth: null,
    midpoint: null,
    scale: null,
    axes: null,
    green: null,
    keepBlue: null,
    clippedShare: null,
  };
}

/** How a map of the surface was found on the sculpt, by its record: a proof looks where the map looked. What a record does not say is found anew.
 *  @param record of a map of ours or of somebody else's */
export function searchOf(record: {
  readonly match?: string | null | undefined;
  readonly normalSource?: string | null | undefined;
  readonly reach?: number | null | undefined;
}): Pick<ExtractOptions, 'match' | 'normalsForHeights' | 'reach'> {
  const source = record.normalSource ?? 'parameter';
  const reach = record.reach ?? 0;
  return {
    match: source === 'closest' ? 'closest' : record.match === 'rays' ? 'rays' : 'auto',
    normalsForHeights: source === 'hit',
    reach: source !== 'parameter' && reach > 0 ? reach : 'auto',
  };
}
