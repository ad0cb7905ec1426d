import * as z from 'zod';

export const UNITS = ['mm', 'cm', 'm', 'in', 'unit'] as const;
export type Unit = (typeof UNITS)[number];
/** Metres that a unit stands for; null where nobody knows. */
export const METRES: Readonly<Record<Unit, number | null>> = { mm: 0.001, cm: 0.01, m: 1, in: 0.0254, unit: null };
/** The unit that is so many metres; null for none of ours. */
export const unitOfMetres = (metres: number | null): Unit | null =>
  UNITS.find((unit) => metres !== null && Math.abs((METRES[unit] ?? 0) - metres) <= 1e-6 * metres) ?? null;
export const DEPTHS = ['8', '16', 'half', 'float'] as const;
export const FILE_TYPES = ['exr', 'tif', 'png'] as const;

/** What rows are named by, and content by its SHA-256. */
export const id = z.uuid();
export const hash = z.string().regex(/^[0-9a-f]{64}$/);
/** In the asset's unit. */
export const length = z.number();
