import type { MapRecordKeys } from '@estampe/contracts';
import type { FrameRule, MapFile, Raster } from '@estampe/core';
import { EstampeError, FRAME_RULE, frameRuleOf, InvalidInputError, readField } from '@estampe/core';
import { nodeZlib, readInput } from '@estampe/node';
import type { Context } from '../context';
import { hasTileMark, tilePath } from '../tile-path';

/** A map with what it says of itself, in the file and beside it. */
export type ReadMap = MapFile & { readonly attributes: MapRecordKeys; readonly sidecar: MapRecordKeys };
export type Picker = ReturnType<typeof picker>;

/** A value by precedence: option, then the file's attributes, then its sidecar, then the default. A difference becomes a warning. */
export function picker(context: Context, path: string, { attributes, sidecar }: ReadMap) {
  return <K extends keyof MapRecordKeys>(
    key: K,
    option: MapRecordKeys[K] | string | undefined,
    fallback: NonNullable<MapRecordKeys[K]>,
  ): NonNullable<MapRecordKeys[K]> => {
    const inFile = attributes[key];
    const beside = sidecar[key];
    const known = [
      ['the option', option],
      ["the file's attribute", inFile],
      ['its sidecar', beside],
    ].filter((s): s is [string, NonNullable<MapRecordKeys[K]>] => s[1] !== undefined && s[1] !== null);
    for (const [name, value] of known.slice(1))
      if (String(value) !== String(known[0][1]))
        context.warnings.push(
          `${path}: ${key} is ${String(known[0][1])} by ${known[0][0]} but ${String(value)} by ${name}; the first was used.`,
        );
    return known.length === 0 ? fallback : known[0][1];
  };
}

export async function readTiles<T>(path: string, tiles: readonly number[], read: (path: string) => Promise<T>): Promise<Map<number, T>> {
  const out = new Map<number, T>();
  const wanted = hasTileMark(path) ? tiles : tiles.slice(0, 1);
  if (!hasTileMark(path) && tiles.length > 1) tilePath(path, tiles[0], tiles.length);
  for (const tile of wanted) out.set(tile, await read(tilePath(path, tile, wanted.length)));
  return out;
}

/** The unencoded values beside a map. They must be of its kind and in its frame, or the figures would compare two things.
 *  @throws InvalidInputError BAD_OPTION */
export async function readFields(
  path: string,
  tiles: readonly number[],
  wanted: Readonly<Record<string, string>>,
): Promise<Map<number, Raster>> {
  const files = await readTiles(path, tiles, async (file) => {
    try {
      const { field, record } = await readField(await readInput(file), nodeZlib);
      return { raster: field, record };
    } catch (error) {
      throw error instanceof EstampeError && error.where.file === undefined ? error.inFile(file) : error;
    }
  });
  for (const { record } of files.values())
    for (const [key, value] of Object.entries(wanted)) {
      const own = record[key];
      if (typeof own === 'string' && own !== value)
        throw new InvalidInputError(
          'BAD_OPTION',
          `${path}: the field's ${key} is ${own} and the map's is ${value}; give the field that the map was encoded from.`,
          { option: 'field' },
        );
    }
  return rasters(files);
}

export const rasters = (maps: ReadonlyMap<number, { readonly raster: Raster }>): Map<number, Raster> =>
  new Map([...maps].map(([tile, m]) => [tile, m.raster]));

/** A map from elsewhere is read by today's rule; one of ours by its own. */
export const ruleOf = ({ attributes, sidecar }: ReadMap): FrameRule =>
  attributes.kind === undefined && sidecar.kind === undefined ? FRAME_RULE : frameRuleOf({ ...sidecar, ...attributes });

/** What all tiles of a map must have alike to be read as one. */
const SHARED_KEYS = [
  'kind', 'frame', 'base', 'boundary', 'uv', 'filter', 'match', 'normalSource', 'frameLevel', 'frameRule', 'depth', 'midpoint', 'scale', 'axes', 'green', 'keepBlue', 'lowHash',
] as const satisfies readonly (keyof MapRecordKeys)[]; // prettier-ignore

/** @throws InvalidInputError BAD_OPTION where a tile says something else of itself than the first */
export function requireOneMap(maps: ReadonlyMap<number, ReadMap>, path: string): void {
  const said = (map: ReadMap, key: keyof MapRecordKeys): string => String(map.attributes[key] ?? map.sidecar[key] ?? 'not said');
  const [[firstTile, first], ...others] = maps;
  for (const [tile, map] of others)
    for (const key of SHARED_KEYS)
      if (said(map, key) !== said(first, key))
        throw new InvalidInputError(
          'BAD_OPTION',
          `${path}: tile ${tile} says ${key} is ${said(map, key)}, tile ${firstTile} says ${said(first, key)}; tiles of one map share it, so extract and encode them in one go.`,
          { tile, option: 'map' },
        );
}
