import type { AssetDetail, FieldInfo, MeasureRequest } from '@estampe/contracts';
import { asksRay, channelsOf, heeds, MAP_KINDS, samplesOf } from '@estampe/core';
import type { MapKind } from '@estampe/core';

/** What a pass will take, as far as earlier passes of the asset tell. */
export interface Estimate {
  /** Null until a pass of this sort has been measured here. */
  readonly seconds: number | null;
  /** Of all field files together. */
  readonly bytes: number;
}

/** Share of a tile that islands cover, where nothing has been measured yet. */
const COVERED = 0.8;
/** Bytes of a float in a field file, where nothing has been measured yet: noise does not shrink. */
const FLOAT_BYTES = 4;

/** Occlusion's samples share their rays: so many take as long as one that is cast for itself. As measured; maps too small for that are soon done. */
const SHARED_RAYS = 6;

/** Time and bytes of a pass from the rates of this asset's earlier ones: seconds a ray for passes that cast rays, seconds a texel for those that
 *  do not, bytes a texel and channel for files. Newest first; the first of a sort counts. */
export function estimate(asset: AssetDetail, request: MeasureRequest): Estimate {
  const spans = [...asset.spans].reverse();
  const fields = spans.flatMap((s) => s.fields.map((field) => ({ field, kind: s.settings.kind })));
  const newest = fields.at(0)?.field;
  const share = newest ? (newest.covered + newest.missed) / (newest.width * newest.height) : COVERED;
  const texels = request.size * request.size * (request.tiles ?? asset.tiles).length;
  const samples = texels * share * samplesOf(request) ** 2;
  const { kinds } = request;
  const searched =
    asset.stackKind === 'free' ||
    request.match === 'rays' ||
    asksRay(kinds) ||
    kinds.some((k) => heeds(k, 'forHeights') && request.forHeights);
  const own = (kind: MapKind): number =>
    heeds(kind, 'rays') ? Math.ceil(request.occlusionRays / SHARED_RAYS) : MAP_KINDS[kind].needs.tree && !asksRay([kind]) ? 1 : 0;
  const rays = samples * ((searched ? 1 : 0) + kinds.reduce((n, kind) => n + own(kind), 0));
  const rate = rays > 0 ? ratio(fields, (f) => f.rays) : ratio(fields.filter(({ field }) => field.rays === 0), (f) => f.covered); // prettier-ignore
  const floats = kinds.reduce((n, kind) => n + channelsOf(kind), 0);
  const measured = fields.map(({ field, kind }) => field.bytes / (field.width * field.height * channelsOf(kind)));
  return {
    seconds: rate === null ? null : rate * (rays > 0 ? rays : samples),
    bytes: Math.round(texels * floats * (measured.at(0) ?? FLOAT_BYTES)),
  };
}

/** Seconds a unit of work of the newest pass that has any. */
function ratio(fields: readonly { readonly field: FieldInfo }[], work: (f: FieldInfo) => number): number | null {
  const found = fields.find(({ field }) => work(field) > 0 && field.seconds > 0);
  return found ? found.field.seconds / work(found.field) : null;
}
