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
