import type { Unit } from '@estampe/contracts';
import { METRES } from '@estampe/contracts';
import type { SceneFacts, SurfaceOptions } from '@estampe/core';

/** What a delivery's mesh files say of their scene, in formats that can: unit and the rules that the maps were measured by. */
export const deliveredScene = (unit: Unit, { boundary, uv }: SurfaceOptions): SceneFacts => ({
  metresPerUnit: METRES[unit],
  up: null,
  boundary,
  uv,
});
