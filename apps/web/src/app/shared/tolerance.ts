import { significant } from './format';
import * as z from 'zod';

const above0 = z.number().positive().max(1e9);
/** The shot that a tolerance in pixels is seen in; the distance in the asset's unit, focal length and sensor in millimetres. */
export const shotSchema = z.object({
  name: z.string().trim().max(60),
  imageWidth: above0, // pixels
  focalLength: above0,
  sensorWidth: above0,
  distance: above0,
});
export type Shot = Readonly<z.infer<typeof shotSchema>>;

export const TOLERANCE_UNITS = ['units', 'percent', 'pixels'] as const;
/** The value is null where none is asked for. */
export const toleranceSchema = z.object({ value: above0.nullable(), unit: z.enum(TOLERANCE_UNITS), shot: shotSchema });
export type Tolerance = Readonly<z.infer<typeof toleranceSchema>>;

/** A film frame through a normal lens, from so far away that the asset's diagonal spans its width. */
export const proposedShot = (diagonal: number): Shot => ({
  name: 'a shot that frames the asset',
  imageWidth: 4096,
  focalLength: 50,
  sensorWidth: 36,
  distance: Number(((diagonal * 50) / 36).toPrecision(3)),
});
/** What holds until somebody sets another: half a pixel, which no picture shows. */
export const proposedTolerance = (diagonal: number): Tolerance => ({ value: 0.5, unit: 'pixels', shot: proposedShot(diagonal) });

/** Pixels that one unit of length on the surface covers, seen straight on from the shot's distance. */
export const pixelsPerUnit = ({ imageWidth, focalLength, sensorWidth, distance }: Shot): number =>
  ((focalLength / sensorWidth) * imageWidth) / distance;

/** Length of 1 in the unit of a tolerance. */
const unitLength = ({ unit, shot }: Pick<Tolerance, 'unit' | 'shot'>, diagonal: number): number =>
  unit === 'units' ? 1 : unit === 'percent' ? diagonal / 100 : 1 / pixelsPerUnit(shot);

/** A tolerance as a length; null when there is none.
 *  @param diagonal of the sculpt, for percentages */
export function toleranceLength(tolerance: Tolerance, diagonal: number): number | null {
  return tolerance.value === null ? null : tolerance.value * unitLength(tolerance, diagonal);
}

/** The same length in another unit, to three digits. */
export function inUnit(tolerance: Tolerance, unit: Tolerance['unit'], diagonal: number): Tolerance {
  const length = toleranceLength(tolerance, diagonal);
  const next = { ...tolerance, unit };
  return { ...next, value: length === null ? null : Number(significant(length / unitLength(next, diagonal), 3)) };
}
