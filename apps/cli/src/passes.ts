import type { MapRecipe } from '@estampe/contracts';
import { asksRay, heeds } from '@estampe/core';

/** Whether a map, or what darkens it, is averaged over a ball. */
const usesRadius = ({ kind, shade }: MapRecipe): boolean => heeds(kind, 'radius') || (shade !== undefined && heeds(shade, 'radius'));

/** Maps that one pass can measure together: all their extraction settings are the same, each kind at most once. */
export function passes(maps: readonly MapRecipe[]): MapRecipe[][] {
  const key = (m: MapRecipe): string => JSON.stringify([m.size, m.base, m.match, m.reach, m.samples, m.padding, m.matchSeams, m.fitTexels]);
  // what a kind does not have asks for nothing: heights go with any radius, and with normals however they are read, but not against them
  const agree = (g: readonly MapRecipe[], map: MapRecipe): boolean => {
    const all = [...g, map];
    const one = (values: readonly unknown[]): boolean => new Set(values.filter((v) => v !== undefined)).size <= 1;
    const others = all.filter((m) => heeds(m.kind, 'forHeights'));
    return (
      one(all.filter((m) => usesRadius(m)).map((m) => m.radius)) &&
      one(others.map((m) => m.forHeights)) &&
      !(asksRay(all.map((m) => m.kind)) && others.some((m) => m.forHeights === false))
    );
  };
  const groups: MapRecipe[][] = [];
  for (const map of maps) {
    const group = groups.find((g) => key(g[0]) === key(map) && !g.some((x) => x.kind === map.kind) && agree(g, map));
    if (group) group.push(map);
    else groups.push([map]);
  }
  return groups;
}
