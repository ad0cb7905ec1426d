import { displaces, holdsDirections } from '@estampe/core';
import type { MapKind } from '@estampe/core';
import { KIND_WORDS } from '@estampe/contracts';
import { percent, significant } from '../../shared/format';
import type { DepthFigures } from '../../workers/field-messages';
import { DEPTH_NAMES } from './fits';

/** One line on an encoding, the gravest matter first, with the figure that is its reason.
 *  @param tolerance length that the map must keep to; null when none is asked for */
export function adviseOnEncoding(
  { encoding: e, figures: f, angles }: DepthFigures,
  kind: MapKind,
  unit: string,
  tolerance: number | null,
): { readonly warn: boolean; readonly text: string } {
  const name = DEPTH_NAMES[e.depth];
  if (holdsDirections(kind)) {
    if (f.clippedShare > 0)
      return {
        warn: true,
        text: `${percent(f.clippedShare)} of the normals look backwards, and a rebuilt blue always looks forwards; keep blue.`,
      };
    if ((angles?.rest ?? 0) > 0.01)
      return {
        warn: true,
        text: `Flat areas tilt by ${significant(angles?.rest, 2)}\u00b0 because one half is no code at ${name}; the exact midpoint keeps them flat, if the renderer reads it so.`,
      };
    return { warn: false, text: `${name} is enough: rounding turns no normal by more than ${significant(angles?.max, 2)}\u00b0.` };
  }
  if (f.clippedShare > 0)
    return {
      warn: true,
      text: `${percent(f.clippedShare)} of the ${KIND_WORDS[kind]} lie beyond the range and are cut off; widen the scale or choose a range that clips nothing.`,
    };
  if ((f.terracedShare ?? 0) > 0.01)
    return {
      warn: true,
      text: `${name} shows terraces on ${percent(f.terracedShare, 1)} of the surface: one step is ${significant(f.step, 2)} ${unit}. Choose a finer depth.`,
    };
  if (!displaces(kind))
    return {
      warn: false,
      text: `${name} holds this map to within ${significant(f.step / 2, 2)}${unit === '' ? '' : ` ${unit}`}, half a step.`,
    };
  if (f.restError > 0)
    return {
      warn: true,
      text: `Flat areas move by ${significant(f.restError, 2)} ${unit}; the midpoint ${e.depth === '8' ? '128/255' : '32768/65535'} keeps them still.`,
    };
  if (tolerance !== null && f.step > tolerance)
    return {
      warn: true,
      text: `One step, ${significant(f.step, 2)} ${unit}, is larger than the tolerance of ${significant(tolerance, 2)}; choose a finer depth.`,
    };
  const compared = tolerance === null ? '' : `, ${significant(tolerance / f.step, 2)} steps to the tolerance`;
  return {
    warn: false,
    text: `${name} is enough: its largest step is ${significant(f.step, 2)} ${unit}${compared}, and no slope shows it.`,
  };
}
