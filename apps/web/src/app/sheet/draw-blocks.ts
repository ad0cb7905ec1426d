import type { MapKind } from '@estampe/core';
import { BLOCK_SIDE } from '@estampe/core';
import type { Block, OpenedField } from '../workers/block-messages';
import type { FieldLook, SheetView } from './sheet-picture';
import { drawField } from './sheet-picture';

/** The level whose texels are about as large as the canvas's pixels, and not larger than they need be. */
export const levelFor = (zoom: number, { levels }: Pick<OpenedField, 'levels'>): number =>
  Math.min(levels.length - 1, Math.max(0, Math.floor(Math.log2(1 / zoom) + 1e-9)));

/** Draws what of a large field can be seen, from the blocks of the level that the view needs; where one has not come yet, from a coarser one.
 *  @param blockOf gives a block, or null and, where it is wanted, asks for it */
export function drawBlocks(
  image: ImageData,
  field: OpenedField,
  kind: MapKind,
  view: SheetView,
  look: FieldLook,
  blockOf: (level: number, x: number, y: number, wanted: boolean) => Block | null,
): void {
  const wanted = levelFor(view.zoom, field);
  const drawLevel = (level: number): boolean => {
    const step = 2 ** level;
    const side = BLOCK_SIDE * step;
    const { columns, rows } = field.levels[level];
    const [halfWidth, halfHeight] = [image.width / 2 / view.zoom, image.height / 2 / view.zoom];
    const from = (at: number): number => Math.max(0, Math.floor(at / side));
    let whole = true;
    for (let y = from(view.y - halfHeight); y <= Math.min(rows - 1, Math.floor((view.y + halfHeight) / side)); y++)
      for (let x = from(view.x - halfWidth); x <= Math.min(columns - 1, Math.floor((view.x + halfWidth) / side)); x++) {
        const block = blockOf(level, x, y, level === wanted);
        if (block === null) whole = false;
        else drawField(image, { ...block, kind }, view, look, { x: x * side, y: y * side, step, side: field.width / step });
      }
    return whole;
  };
  if (drawLevel(wanted)) return;
  // coarser blocks below what has come of the wanted ones
  const top = field.levels.length - 1;
  for (let level = top; level > wanted; level--) drawLevel(level);
  drawLevel(wanted);
}
