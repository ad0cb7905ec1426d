/** The shot that a tolerance in pixels is seen in; the distance in the asset's unit, focal length and sensor in millimetres. */
export interface Shot {
  readonly name: string;
  readonly imageWidth: number; // pixels
  readonly focalLength: number;
  readonly sensorWidth: number;
  readonly distance: number;
}
export const TOLERANCE_UNITS = ['units', 'percent', 'pixels'] as const;
export interface Tolerance {
  readonly value: number | null;
  readonly unit: (typeof TOLERANCE_UNITS)[number];
  readonly shot: Shot;
}
export const NO_TOLERANCE: Tolerance = {
  value: null,
  unit: 'units',
  shot: { name: 'the closest shot', imageWidth: 4096, focalLength: 50, sensorWidth: 36, distance: 1000 },
};

/** Pixels that one unit of length on the surface covers, seen straight on from the shot's distance. */
export const pixelsPerUnit = ({ imageWidth, focalLength, sensorWidth, distance }: Shot): number =>
  ((focalLength / sensorWidth) * imageWidth) / distance;

/** A tolerance as a length; null when there is none.
 *  @param diagonal of the sculpt, for percentages */
export function toleranceLength({ value, unit, shot }: Tolerance, diagonal: number): number | null {
  if (value === null) return null;
  return unit === 'units' ? value : unit === 'percent' ? (value / 100) * diagonal : value / pixelsPerUnit(shot);
}
