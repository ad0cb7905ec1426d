import type { MapKind } from '@estampe/contracts';

/** A kind of map by its letter and its name; the letter stands on the Ladder, where colour alone would not do. */
export const KIND_LETTERS: Readonly<Record<MapKind, string>> = {
  scalar: 'S',
  vector: 'V',
  normal: 'N',
  occlusion: 'O',
  curvature: 'C',
  hollows: 'H',
  colour: 'P',
};
export const KIND_NAMES: Readonly<Record<MapKind, string>> = {
  scalar: 'Heights',
  vector: 'Vectors',
  normal: 'Normals',
  occlusion: 'Occlusion',
  curvature: 'Curvature',
  hollows: 'Hollows',
  colour: 'Point colours',
};
/** What one texel holds. */
export const KIND_VALUES: Readonly<Record<MapKind, string>> = {
  scalar: 'height',
  vector: 'vector',
  normal: 'normal',
  occlusion: 'openness',
  curvature: 'curvature',
  hollows: 'hollow',
  colour: 'colour',
};

/** Unit of a map's values; empty where they have none. @param unit of lengths */
export function unitOf(kind: MapKind, unit: string): string {
  if (kind === 'scalar' || kind === 'vector') return unit;
  return kind === 'curvature' ? `1/${unit}` : '';
}
