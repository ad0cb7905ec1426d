import type { MapKind } from '../raster/map-kinds';
import type { KindFacts, MapRecord, MapRecordOf, MeasuredFacts, ReadAt, RecordedFrame } from '../raster/map-record';
import type { ExrAttribute } from './exr-write';

export const RECORD_PREFIX = 'estampe:';
export const TEXEL_SIZES_ATTRIBUTE = 'estampe:texelSizes';

type AllFacts = { [K in MapKind]: KindFacts[K] }[Exclude<MapKind, 'scalar'>];
type KeysOf<T> = T extends unknown ? keyof T : never;
type ValueOf<T, Key extends PropertyKey> = T extends Readonly<Record<Key, infer V>> ? V : never;
type Text<T> = T extends boolean ? 'yes' | 'no' : T;

/** A record as files carry it: EXR attributes under `estampe:`, text of TIFF and PNG, sidecar and manifest share these keys. Yes and no are
 *  words; null where something does not apply. */
export type WrittenRecord = { readonly kind: MapKind } & { readonly [Key in keyof MeasuredFacts]: Text<MeasuredFacts[Key]> } & {
  readonly [Key in KeysOf<AllFacts>]: ValueOf<AllFacts, Key> | null;
} & {
  readonly depth: '8' | '16' | 'half' | 'float' | null;
  readonly midpoint: number | readonly number[] | null;
  readonly scale: number | readonly number[] | null;
  readonly axes: string | null;
  readonly green: string | null;
  readonly keepBlue: 'yes' | 'no' | null;
  readonly clippedShare: number | null;
};
/** What a file says: any key may be missing. */
export type SaidRecord = { readonly [Key in keyof WrittenRecord]?: WrittenRecord[Key] | null | undefined };

const yes = (on: boolean): 'yes' | 'no' => (on ? 'yes' : 'no');

const NOTHING_OF_ITS_OWN = {
  frame: 'none', normalSource: null, frameLevel: null, frameRule: null, radius: null, rays: null, raysCast: null, seed: null, lift: null, distance: null,
  colourSpace: null, shade: null, strength: null,
} as const; // prettier-ignore
const NOT_WRITTEN = { depth: null, midpoint: null, scale: null, axes: null, green: null, keepBlue: null, clippedShare: null } as const;

/** A record as it goes into a file. */
export function writtenRecord(record: MapRecord): WrittenRecord {
  const { written, seamsMatched, texelsFitted, ...facts } = record;
  const conventions =
    record.kind === 'normal' && record.written !== null
      ? { axes: 'R=+U G=+V B=+N', green: record.written.green, keepBlue: yes(record.written.keepBlue) }
      : { axes: record.kind === 'vector' && record.written !== null ? record.written.axes : 'none', green: 'none', keepBlue: null };
  return {
    ...NOTHING_OF_ITS_OWN,
    ...NOT_WRITTEN,
    ...facts,
    seamsMatched: yes(seamsMatched),
    texelsFitted: yes(texelsFitted),
    ...(written === null
      ? {}
      : { depth: written.depth, midpoint: written.midpoint, scale: written.scale, clippedShare: written.clippedShare, ...conventions }),
  };
}

const readAt = ({ normalSource }: SaidRecord): { readonly normalSource: ReadAt | null } => ({ normalSource: normalSource ?? null });
const framed = ({ frame }: SaidRecord): { readonly frame: RecordedFrame } => ({ frame: frame ?? 'none' });
/** What each kind makes of what a file says. */
const READ: { readonly [K in MapKind]: (said: SaidRecord) => KindFacts[K] } = {
  scalar: () => ({}),
  vector: (s) => ({ ...readAt(s), ...framed(s), frameLevel: s.frameLevel ?? null, frameRule: s.frameRule ?? null }),
  normal: (s) => ({ ...readAt(s), ...framed(s) }),
  occlusion: (s) => ({
    ...readAt(s),
    rays: s.rays ?? null,
    raysCast: s.raysCast ?? null,
    seed: s.seed ?? null,
    lift: s.lift ?? null,
    distance: s.distance ?? null,
  }),
  curvature: (s) => ({ ...readAt(s), radius: s.radius ?? null }),
  hollows: (s) => ({ ...readAt(s), radius: s.radius ?? null }),
  thickness: (s) => ({ ...readAt(s), distance: s.distance ?? null, lift: s.lift ?? null }),
  colour: (s) => ({ ...readAt(s), colourSpace: s.colourSpace ?? null, shade: s.shade ?? null, strength: s.strength ?? null }),
};

/** The record of a field by what its file says. What it does not say is what plain heights of one tile would say. */
export function fieldRecordOf<K extends MapKind>(said: SaidRecord & { readonly kind: K }): MapRecordOf<K> {
  const facts: MeasuredFacts = {
    base: said.base ?? 'limit',
    baseLevel: said.baseLevel ?? 0,
    boundary: said.boundary ?? 'edge-and-corner',
    uv: said.uv ?? 'linear',
    tile: said.tile ?? 1001,
    unit: said.unit ?? 'scene',
    filter: said.filter ?? 'bilinear',
    lowHash: said.lowHash ?? '',
    match: said.match ?? 'unknown',
    reach: said.reach ?? 0,
    samples: said.samples ?? 1,
    padding: said.padding ?? 0,
    covered: said.covered ?? 0,
    missed: said.missed ?? 0,
    doubtful: said.doubtful ?? 0,
    mended: said.mended ?? 0,
    missedShare: said.missedShare ?? 0,
    seamsMatched: said.seamsMatched === 'yes',
    texelsFitted: said.texelsFitted === 'yes',
  };
  // the kind chooses its own facts, which the compiler cannot follow
  const own: object = READ[said.kind](said);
  return { kind: said.kind, ...facts, ...own, written: null } as MapRecordOf<K>;
}

/** Attributes of an EXR. Null values are left out. */
export function recordToAttributes(record: WrittenRecord): Record<string, ExrAttribute> {
  const out: Record<string, ExrAttribute> = {};
  for (const [key, value] of Object.entries<string | number | readonly number[] | null>(record))
    // a list goes in as text: the standard's vectors would narrow it to single precision
    if (value !== null) out[RECORD_PREFIX + key] = typeof value === 'object' ? JSON.stringify(value) : value;
  return out;
}

/** The keys that a file carries; unchecked, for a schema to look at. */
export function attributesToRecord(attributes: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(attributes))
    if (key.startsWith(RECORD_PREFIX) && key !== TEXEL_SIZES_ATTRIBUTE) out[key.slice(RECORD_PREFIX.length)] = value;
  return out;
}

/** Mean sides of texels by blocks, as a field's file holds them; null in files of other programs. */
export function texelSizesOf(attributes: Readonly<Record<string, unknown>>): Float32Array | null {
  const sizes = attributes[TEXEL_SIZES_ATTRIBUTE];
  return sizes instanceof Float32Array ? sizes : null;
}

/** The sidecar's text: the same keys as JSON. */
export const recordToJson = (record: WrittenRecord): string => `${JSON.stringify(prefixed(record), null, 2)}\n`;

/** The same keys in the text of a picture. */
export const recordToText = (record: WrittenRecord): string => JSON.stringify(prefixed(record));

const prefixed = (record: WrittenRecord): Record<string, unknown> =>
  Object.fromEntries(Object.entries(record).map(([key, value]) => [RECORD_PREFIX + key, value as unknown]));
