import type { Field } from '../raster/field';
import type { FieldCounts } from '../raster/field-counts';
import { fieldCounts } from '../raster/field-counts';
import type { MapKind } from '../raster/map-kinds';
import { isFittable } from '../raster/map-kinds';
import type { MapRecordOf, MeasuredFacts } from '../raster/map-record';
import { InvalidInputError } from '../runtime/errors';
import type { ExtractOptions } from './extract-options';
import { samplesOf } from './extract-options';
import { factsOfMeasure } from './kinds/table';
import type { SpanSurfaces } from './prepare-span';

interface FieldSource {
  readonly unit: string;
  readonly lowHash: string;
  readonly colourSpace?: 'sRGB' | 'linear';
  readonly counts?: FieldCounts;
}

/** What a measured field says of itself.
 *  @param lowHash hash of the light mesh as it is written
 *  @param colourSpace what the sculpt's point colours are; files do not say
 *  @param counts of the field, where they were taken already */
export function fieldRecord<K extends MapKind>(
  span: SpanSurfaces,
  kind: K,
  tile: number,
  field: Field,
  { unit, lowHash, colourSpace = 'sRGB', counts = fieldCounts(field) }: FieldSource,
): MapRecordOf<K> {
  const { options: o, base, match, reach, measures } = span;
  const measure = measures.find((m) => m.kind === kind);
  if (measure === undefined) throw new InvalidInputError('BAD_OPTION', `This pass measured no ${kind} map.`, { option: 'maps' });
  const { covered, missed, doubtful, mended } = counts;
  const asked = covered + missed;
  const facts: MeasuredFacts = {
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
    padding: o.padding,
    covered,
    missed,
    doubtful,
    mended,
    missedShare: asked === 0 ? 0 : missed / asked,
    seamsMatched: o.matchSeams,
    texelsFitted: o.fitTexels && isFittable(kind),
  };
  // the kind chooses its own facts, which the compiler cannot follow
  return { kind, ...facts, ...factsOfMeasure(measure, o, colourSpace), written: null } as MapRecordOf<K>;
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
