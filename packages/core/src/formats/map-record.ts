import type { MapRecord } from '../raster/map-record';
import type { ExrAttribute } from './exr-write';

export const RECORD_PREFIX = 'estampe:';
export const TEXEL_SIZES_ATTRIBUTE = 'estampe:texelSizes';

/** Attributes of an EXR. Null values are left out. */
export function recordToAttributes(record: MapRecord): Record<string, ExrAttribute> {
  const out: Record<string, ExrAttribute> = {};
  for (const [key, value] of Object.entries(record) as [string, string | number | readonly number[] | null][])
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

/** The sidecar's text: the same keys as JSON. */
export const recordToJson = (record: MapRecord): string =>
  `${JSON.stringify(Object.fromEntries(Object.entries(record).map(([k, v]) => [RECORD_PREFIX + k, v as unknown])), null, 2)}\n`;
