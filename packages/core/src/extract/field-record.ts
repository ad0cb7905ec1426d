import type { Field } from '../raster/field';
import { fieldCounts } from '../raster/field';
import type { MapKind } from '../raster/map-kinds';
import { heeds, isFittable } from '../raster/map-kinds';
import type { MapRecord } from '../raster/map-record';
import type { ExtractOptions } from './extract-options';
import { samplesOf } from './extract-options';
import { recordOfMeasure } from './kinds/table';
import type { SpanSurfaces } from './prepare-span';

/** What a measured field says of itself.
 *  @param lowHash hash of the light mesh as it is written
 *  @param colourSpace what the sculpt's point colours are; files do not say */
export function fieldRecord(
  span: SpanSurfaces,
  kind: MapKind,
  tile: number,
  field: Field,
  { unit, lowHash, colourSpace = 'sRGB' }: { readonly unit: string; readonly lowHash: string; readonly colourSpace?: 'sRGB' | 'linear' },
): MapRecord {
  const { options: o, base, match, reach, measures } = span;
  const measure = measures.find((m) => m.kind === kind);
  const { covered, missed, doubtful, mended } = fieldCounts(field);
  const asked = covered + missed;
  const yes = (on: boolean): string => (on ? 'yes' : 'no');
  return {
    kind,
    frame: 'none',
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
    normalSource: null,
    frameLevel: null,
    frameRule: null,
    radius: null,
    rays: null,
    seed: null,
    lift: null,
    distance: null,
    colourSpace: heeds(kind, 'colourSpace') ? colourSpace : null,
    shade: null,
    strength: null,
    depth: null,
    midpoint: null,
    scale: null,
    axes: null,
    green: null,
    keepBlue: null,
    clippedShare: null,
    ...(measure ? recordOfMeasure(measure, o) : {}),
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
