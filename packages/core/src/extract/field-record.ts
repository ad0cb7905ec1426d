import type { Field } from '../raster/field';
import { fieldCounts } from '../raster/field';
import type { MapRecord } from '../raster/map-record';
import type { MeasuredKind, SpanSurfaces } from './extract-span';

/** What a measured field says of itself.
 *  @param lowHash hash of the light mesh as it is written */
export function fieldRecord(
  span: SpanSurfaces,
  kind: MeasuredKind,
  tile: number,
  field: Field,
  { unit, lowHash }: { readonly unit: string; readonly lowHash: string },
): MapRecord {
  const { options: o, base, match, reach, normals } = span;
  const { covered, missed, doubtful } = fieldCounts(field);
  const asked = covered + missed;
  const yes = (on: boolean): string => (on && kind === 'scalar' ? 'yes' : 'no');
  return {
    kind,
    frame: kind === 'normal' ? o.frame : 'none',
    base: o.base,
    baseLevel: base.level,
    ...o.surface,
    tile,
    unit,
    filter: 'bilinear',
    lowHash,
    match,
    reach,
    samples: o.samples,
    padding: Number.isFinite(o.padding) ? o.padding : -1,
    covered,
    missed,
    doubtful,
    missedShare: asked === 0 ? 0 : missed / asked,
    seamsMatched: yes(o.matchSeams),
    texelsFitted: yes(o.fitTexels),
    normalSource: kind === 'normal' ? (normals?.source ?? null) : null,
    depth: null,
    midpoint: null,
    scale: null,
    axes: null,
    green: null,
    keepBlue: null,
    clippedShare: null,
  };
}
