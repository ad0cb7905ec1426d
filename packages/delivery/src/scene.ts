import type { Unit, UpAxis } from '@estampe/contracts';
import { METRES } from '@estampe/contracts';
import type { SceneFacts, SurfaceOptions } from '@estampe/core';

/** What a delivery's mesh files say of their scene, in formats that can: unit, up axis where it is known, and the rules that the maps were
 *  measured by. */
export const deliveredScene = (unit: Unit, { boundary, uv }: SurfaceOptions, up: UpAxis | null): SceneFacts => ({
  metresPerUnit: METRES[unit],
  up,
  boundary,
  uv,
});
