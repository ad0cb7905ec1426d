import type { MapKind, Quantity } from '@estampe/core';
import { MAP_KINDS } from '@estampe/core';

/** A kind of map on the screen. */
interface KindShown {
  /** Stands on the Ladder and on plates, where colour alone would not do. */
  readonly letter: string;
  readonly name: string;
  /** What one texel holds. */
  readonly value: string;
  /** Dashes of its bracket on the Ladder, a hatch of its own beside the letter. */
  readonly dashes: string;
}
const SHOWN: Readonly<Record<MapKind, KindShown>> = {
  scalar: { letter: 'S', name: 'Heights', value: 'height', dashes: 'none' },
  vector: { letter: 'V', name: 'Vectors', value: 'vector', dashes: '9 2' },
  normal: { letter: 'N', name: 'Normals', value: 'normal', dashes: '1.5 2.5' },
  occlusion: { letter: 'O', name: 'Occlusion', value: 'openness', dashes: '4 3' },
  curvature: { letter: 'C', name: 'Curvature', value: 'curvature', dashes: '7 2 1.5 2' },
  hollows: { letter: 'H', name: 'Hollows', value: 'hollow', dashes: '1.5 5' },
  thickness: { letter: 'T', name: 'Thickness', value: 'thickness', dashes: '9 2 4 2' },
  colour: { letter: 'P', name: 'Point colours', value: 'colour', dashes: '4 2 1.5 2 1.5 2' },
};
const column = (of: keyof KindShown): Readonly<Record<MapKind, string>> =>
  Object.fromEntries(Object.entries(SHOWN).map(([kind, shown]) => [kind, shown[of]])) as Record<MapKind, string>;
export const KIND_LETTERS = column('letter');
export const KIND_NAMES = column('name');
export const KIND_VALUES = column('value');
export const KIND_DASHES = column('dashes');

const UNITS: Readonly<Record<Quantity, (unit: string) => string>> = {
  length: (unit) => unit,
  curvature: (unit) => `1/${unit}`,
  direction: () => '',
  share: () => '',
  colour: () => '',
};
/** Unit of a map's values; empty where they have none. @param unit of lengths */
export const unitOf = (kind: MapKind, unit: string): string => UNITS[MAP_KINDS[kind].quantity](unit);
