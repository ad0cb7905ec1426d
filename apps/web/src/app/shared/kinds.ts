import type { MapKind } from '@estampe/contracts';

/** A kind of map by its letter and its name; the letter stands on the Ladder, where colour alone would not do. */
export const KIND_LETTERS: Readonly<Record<MapKind, string>> = { scalar: 'S', normal: 'N' };
export const KIND_NAMES: Readonly<Record<MapKind, string>> = { scalar: 'Heights', normal: 'Normals' };
