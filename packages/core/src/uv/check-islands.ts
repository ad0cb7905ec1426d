import type { PolyMesh } from '../mesh/poly-mesh';
import type { Findings } from './finding';
import { many } from './finding';
import type { Islands } from './islands';
import { islandsOf } from './islands';
import { nearIslands } from './margin';
import type { FaceStretch } from './stretch';
import { faceStretch } from './stretch';

/** What the gaps between islands must hold. */
export interface MarginOptions {
  /** Side of the map, in texels. */
  readonly size: number;
  /** Texels that must lie between islands: twice the widest filter, or the padding. */
  readonly gap: number;
}
export const MARGIN_DEFAULTS: MarginOptions = { size: 2048, gap: 2 };

/** A texel that is as many times as long as it is wide on the surface shows. */
const MOST_RATIO = 4;
/** An island's texels may be this many times as large or small as those of the middle island, by area. */
const MOST_UNEVEN = 2;

/** What is wrong with islands: faces against their island, mirrored, stretched and uneven islands, islands too near. The mesh has UVs in tiles. */
export function addIslandFindings(findings: Findings, mesh: PolyMesh, margin: Partial<MarginOptions>): void {
  const { size, gap } = { ...MARGIN_DEFAULTS, ...margin };
  const islands = islandsOf(mesh);
  const stretch = faceStretch(mesh);
  const mirrored = mirroredIslands(islands, stretch);
  const facesWhere = (test: (face: number) => boolean): number[] => facesThat(stretch.uv.length, test);
  findings.add(
    'uv-flipped',
    'warning',
    facesWhere((f) => stretch.uv[f] !== 0 && stretch.uv[f] < 0 !== mirrored[islands.ofFace[f]]),
    (n) => `${many(n, 'face')} turned over against the rest of the island; maps tear there, so unfold them.`,
  );
  findings.add(
    'uv-mirrored',
    'note',
    facesWhere((f) => mirrored[islands.ofFace[f]]),
    (n) => `${many(n, 'island')} mirrored: writing on a map would read backwards there, tangent maps stay right.`,
    mirrored.filter(Boolean).length,
  );
  findings.add(
    'uv-stretched',
    'warning',
    facesWhere((f) => stretch.ratio[f] > MOST_RATIO),
    (n) => `${many(n, 'face')} whose texels are over ${MOST_RATIO} times as long as wide on the surface; fine detail is lost along them.`,
  );
  const { uneven, islandCount } = unevenFaces(islands, stretch);
  findings.add(
    'uv-uneven',
    'note',
    uneven,
    (n) =>
      `${many(n, 'island')} with texels over ${MOST_UNEVEN} times as large or as small as those of the middle island; give them more or less room.`,
    islandCount,
  );
  const near = nearIslands(mesh, islands, gap / size);
  findings.add(
    'uv-margin',
    'warning',
    near.faces,
    (n) =>
      `${many(n, 'face')} nearer than ${gap} texels to another island at ${size} texels a side (the nearest ${Number((near.smallest * size).toPrecision(2))}); texels of one run into the other, so pack with a wider margin or take a larger map.`,
  );
}

/** Of so many faces those that pass, ascending. */
function facesThat(count: number, test: (face: number) => boolean): number[] {
  const out: number[] = [];
  for (let f = 0; f < count; f++) if (test(f)) out.push(f);
  return out;
}

/** Whether the larger part of an island, by UV area, is mirrored. */
function mirroredIslands({ ofFace, count }: Islands, { uv }: FaceStretch): boolean[] {
  const sums = new Float64Array(count);
  ofFace.forEach((island, f) => (sums[island] += uv[f]));
  return Array.from(sums, (sum) => sum < 0);
}

/** Faces of islands whose texels are much larger or smaller than those in the middle of the surface's area. */
function unevenFaces({ ofFace, count }: Islands, { surface, uv }: FaceStretch): { uneven: number[]; islandCount: number } {
  const areas = new Float64Array(count);
  const uvAreas = new Float64Array(count);
  ofFace.forEach((island, f) => {
    areas[island] += surface[f];
    uvAreas[island] += Math.abs(uv[f]);
  });
  const texel = Array.from(areas, (area, i) => (uvAreas[i] > 0 && area > 0 ? Math.sqrt(area / uvAreas[i]) : NaN));
  const order = [...texel.keys()].filter((i) => !Number.isNaN(texel[i])).sort((a, b) => texel[a] - texel[b]);
  let left = order.reduce((sum, i) => sum + areas[i], 0) / 2;
  const middle = order.find((i) => (left -= areas[i]) <= 0) ?? 0;
  const odd = texel.map((t) => !Number.isNaN(t) && (t > MOST_UNEVEN * texel[middle] || t < texel[middle] / MOST_UNEVEN));
  return { uneven: facesThat(ofFace.length, (f) => odd[ofFace[f]]), islandCount: odd.filter(Boolean).length };
}
