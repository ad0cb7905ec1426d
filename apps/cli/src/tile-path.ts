import { readdir } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { InvalidInputError } from '@estampe/core';

const MARK = '<UDIM>';
export const hasTileMark = (path: string): boolean => path.includes(MARK);

/** File name of one tile. @throws InvalidInputError BAD_OPTION when several tiles would share a name */
export function tilePath(path: string, tile: number, count: number): string {
  if (hasTileMark(path)) return path.replaceAll(MARK, String(tile));
  if (count > 1)
    throw new InvalidInputError(
      'BAD_OPTION',
      `${path}: the mesh uses ${count} tiles; write ${MARK} where the tile number goes in the name.`,
      { file: path, option: 'o' },
    );
  return path;
}

/** The tiles that are there for a name, ascending, with their paths; a name without the mark is one file of its own.
 *  @throws InvalidInputError NOT_FOUND, BAD_OPTION when the mark is in a folder's name */
export async function tilesThere(path: string): Promise<{ readonly tile: number | null; readonly path: string }[]> {
  if (!hasTileMark(path)) return [{ tile: null, path }];
  const folder = dirname(path);
  const [before, after] = basename(path).split(MARK);
  if (hasTileMark(folder) || after === undefined)
    throw new InvalidInputError('BAD_OPTION', `${path}: write ${MARK} in the file's name, not in a folder's.`, { file: path });
  const names = await readdir(folder).catch(() => []);
  const found = names
    .filter((name) => name.startsWith(before) && name.endsWith(after))
    .map((name) => ({ name, number: name.slice(before.length, name.length - after.length) }))
    .filter(({ number }) => /^1[0-9]{3}$/.test(number) && Number(number) > 1000)
    .map(({ name, number }) => ({ tile: Number(number), path: join(folder, name) }));
  if (found.length === 0)
    throw new InvalidInputError('NOT_FOUND', `${path}: there is no such file for any tile; check the name.`, { file: path });
  return found.sort((a, b) => a.tile - b.tile);
}
