import type { MapKind } from '@estampe/core';

/** What a map of each kind holds, in words. */
export const KIND_WORDS: Readonly<Record<MapKind, string>> = {
  scalar: 'heights',
  vector: 'vectors',
  normal: 'normals',
  occlusion: 'occlusion',
  curvature: 'curvature',
  hollows: 'hollows',
  thickness: 'thickness',
  colour: 'colours',
};
