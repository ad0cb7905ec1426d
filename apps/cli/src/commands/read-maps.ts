import type { MapRecordKeys } from '@estampe/contracts';
import type { FrameRule, MapFile, Raster, TileRasters } from '@estampe/core';
import { EstampeError, FRAME_RULE, frameRuleOf, InvalidInputError, readField, readMap, TilesByNeed } from '@estampe/core';
import { nodeZlib, readInput } from '@estampe/node';
import type { Context } from '../context';
import { hasTileMark, tilePath } from '../tile-path';

/** What a map says of itself, in the file and beside it. */
export type SaidMap = Omit<MapFile, 'raster'> &
  Pick<Raster, 'width' | 'height' | 'channels'> & { readonly attributes: MapRecordKeys; readonly sidecar: MapRecordKeys };
export type Picker = ReturnType<typeof picker>;

/** A value by precedence: option, then the file's attributes, then its sidecar, then the default. A difference becomes a warning. */
export function picker(context: Context, path: string, { attributes, sidecar }: SaidMap) {
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

interface TileFile {
  readonly tile: number;
  readonly path: string;
}

/** The files of a map: one a tile where the name has a mark for it. @throws InvalidInputError BAD_OPTION where it has none and there are several */
function tileFiles(path: string, tiles: readonly number[]): TileFile[] {
  const wanted = hasTileMark(path) ? tiles : tiles.slice(0, 1);
  if (!hasTileMark(path) && tiles.length > 1) tilePath(path, tiles[0], tiles.length);
  return wanted.map((tile) => ({ tile, path: tilePath(path, tile, wanted.length) }));
}

/** What every tile's file says of itself. All of them are read once; their texels come again when they are asked for, those of the last are at hand. */
export async function readMaps(
  context: Context,
  path: string,
  tiles: readonly number[],
): Promise<{ readonly maps: ReadonlyMap<number, SaidMap>; readonly rasters: TileRasters }> {
  const files = tileFiles(path, tiles);
  const rasters = new TilesByNeed(files, async (file) => (await readMap(await readInput(file.path), nodeZlib)).raster);
  const maps = new Map<number, SaidMap>();
  for (const file of files) {
    const { raster, ...said } = await context.readMap(file.path);
    const { width, height, channels } = raster;
    maps.set(file.tile, { ...said, width, height, channels });
    rasters.hold(file.tile, raster);
  }
  return { maps, rasters };
}

/** The unencoded values beside a map, read when they are asked for. They must be of its kind and in its frame, or the figures would compare two things.
 *  @throws InvalidInputError BAD_OPTION when a tile is read that is of another */
export function readFields(path: string, tiles: readonly number[], wanted: Readonly<Record<string, string>>): TileRasters {
  return new TilesByNeed(tileFiles(path, tiles), async ({ path: file }) => {
    try {
      const { field, record } = await readField(await readInput(file), nodeZlib);
      for (const [key, value] of Object.entries(wanted)) {
        const own = record[key];
        if (typeof own === 'string' && own !== value)
          throw new InvalidInputError(
            'BAD_OPTION',
            `${path}: the field's ${key} is ${own} and the map's is ${value}; give the field that the map was encoded from.`,
            { option: 'field', file },
          );
      }
      return field;
    } catch (error) {
      throw error instanceof EstampeError && error.where.file === undefined ? error.inFile(file) : error;
    }
  });
}

/** A map from elsewhere is read by today's rule; one of ours by its own. */
export const ruleOf = ({ attributes, sidecar }: SaidMap): FrameRule =>
  attributes.kind === undefined && sidecar.kind === undefined ? FRAME_RULE : frameRuleOf({ ...sidecar, ...attributes });

/** What all tiles of a map must have alike to be read as one. */
const SHARED_KEYS = [
  'kind', 'frame', 'base', 'boundary', 'uv', 'filter', 'match', 'normalSource', 'frameLevel', 'frameRule', 'depth', 'midpoint', 'scale', 'axes', 'green', 'keepBlue', 'lowHash',
] as const satisfies readonly (keyof MapRecordKeys)[]; // prettier-ignore

/** @throws InvalidInputError BAD_OPTION where a tile says something else of itself than the first */
export function requireOneMap(maps: ReadonlyMap<number, SaidMap>, path: string): void {
  const said = (map: SaidMap, key: keyof MapRecordKeys): string => String(map.attributes[key] ?? map.sidecar[key] ?? 'not said');
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
