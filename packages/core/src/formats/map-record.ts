import type { ExrAttribute } from './exr-write';

/** What a map is, wherever it travels: EXR attributes under `estampe:`, TIFF and PNG text, sidecar and manifest share these keys.
 *  Null where something does not apply. */
export interface MapRecord {
  readonly kind: string;
  readonly frame: string | null;
  readonly base: string;
  /** Level at which the base was evaluated. */
  readonly baseLevel: number;
  readonly boundary: string;
  readonly uv: string;
  readonly tile: number;
  readonly unit: string;
  readonly filter: string;
  readonly lowHash: string;
  readonly match: string;
  readonly reach: number;
  readonly samples: number;
  /** Texels; -1 fills the tile. */
  readonly padding: number;
  readonly covered: number;
  readonly missed: number;
  readonly doubtful: number;
  readonly missedShare: number;
  /** The rest is null in a field. */
  readonly depth: string | null;
  readonly midpoint: number | null;
  readonly scale: number | null;
  readonly axes: string | null;
  readonly green: string | null;
  readonly clippedShare: number | null;
}

export const RECORD_PREFIX = 'estampe:';
export const TEXEL_SIZES_ATTRIBUTE = 'estampe:texelSizes';

/** Attributes of an EXR. Null values are left out. */
export function recordToAttributes(record: MapRecord): Record<string, ExrAttribute> {
  const out: Record<string, ExrAttribute> = {};
  for (const [key, value] of Object.entries(record) as [string, string | number | null][])
    if (value !== null) out[RECORD_PREFIX + key] = value;
  return out;
}

/** The keys that a file carries; unchecked, for a schema to look at. */
export function attributesToRecord(attributes: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(attributes))
    if (key.startsWith(RECORD_PREFIX) && key !== TEXEL_SIZES_ATTRIBUTE) out[key.slice(RECORD_PREFIX.length)] = value;
  return out;
}
