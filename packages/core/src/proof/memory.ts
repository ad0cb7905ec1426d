import type { SpanWork } from '../extract/span-pair';
import type { PolyMesh } from '../mesh/poly-mesh';
import { refinedFaceCount } from '../subdivision/refine';

/** What work takes at its height, measured on files of 0.8 to 16.8 million points; what is told lies within a quarter of it (`memory.spec.ts`). Bytes. */
const FACE = {
  /** Refining a mesh, and writing it out: as text, or as numbers; with points and normals of the limit surface. */
  refined: 210,
  written: { text: 190, numbers: 30 },
  limit: 70,
  /** Finding the base that a mesh was refined from: its matrices. */
  recovered: 680,
  /** Finding the base that fits it best. */
  settled: 950,
  /** A base that is displaced, and again by the field that its map was made from: three meshes with their places, areas and distances. */
  proven: 240,
} as const;
/** The same for a point of a sculpt, which has a quad or two triangles. */
const POINT = {
  /** A sculpt that is read, and its base, refined and displaced for the Stage: no more than any measuring of it took. */
  delivered: 450,
  /** A sculpt that is compared with: its places, areas and distances. */
  compared: 130,
  /** It or the base, whichever is larger, while its tree is built and searched; there is one at a time. */
  searched: 230,
} as const;
/** Measuring, by what is done with the pair, on one to eight threads: of 0.8 to 16.8 million points, 2K and 8K, what is told lay within a
 *  quarter of what they took. What another thread is handed of a pair that is matched it has once more. */
const MEASURED = {
  matched: { base: 150e6, point: 340, handed: 80 },
  searched: { base: 350e6, point: 215, handed: 0 },
  both: { base: 170e6, point: 400, handed: 80 },
} as const;
/** For a texel whose tile is looked through for sheets: its height and its piece, and half of the wanted height that it has only where there are any. */
const SHEETS = 10;
/** What the program itself takes. */
const BASE = 150e6;
/** A sculpt's detail put onto other levels, for a face of the finest and a point of the sculpt; above a million points it grows more slowly. */
const TRANSFERRED = {
  few: { base: BASE, face: 600, point: 800 },
  many: { base: 500e6, face: 330, point: 620 },
} as const;
/** What other threads take besides, the second and each further one: their own programs, and what they work on. */
const THREAD = { second: 80e6, further: 30e6 } as const;
const besides = (threads: number): number => (threads > 1 ? THREAD.second + THREAD.further * (threads - 2) : 0);

/** Bringing meshes in: the program with its database, and for a point of them all, where they are matched as levels of a stack and where not. */
const READ = { base: 280e6, matched: 190, alone: 120 } as const;

/** Refining a mesh and writing it out, or its limit surface. @param as how its numbers are written */
export function refiningBytes(mesh: PolyMesh, levels: number, as: 'text' | 'numbers', isLimit: boolean): number {
  const each = FACE.refined + FACE.written[as] + (isLimit ? FACE.limit : 0);
  return BASE + each * refinedFaceCount(mesh, levels);
}

/** Giving a light mesh the detail of a free sculpt. @param faces of the finest level @param sculptPoints each with a quad or two triangles */
export function transferringBytes(faces: number, sculptPoints: number): number {
  const { few, many } = TRANSFERRED;
  return Math.min(few.base + few.face * faces + few.point * sculptPoints, many.base + many.face * faces + many.point * sculptPoints);
}

/** Recovering a base. @param faces of the finest level */
export const recoveringBytes = (faces: number): number => BASE + FACE.recovered * faces;

/** Settling a base. @param faces of the finest level */
export const settlingBytes = (faces: number): number => BASE + FACE.settled * faces;

/** Preparing a span and measuring one tile of it. @param sculptPoints each with a quad or two triangles
 *  @param texels of the tile @param texelBytes of all its maps together (`texelBytes`) */
export function measuringBytes(work: SpanWork, sculptPoints: number, texels: number, texelBytes: number, threads: number): number {
  const { base, point, handed } = MEASURED[!work.isMatched ? 'searched' : work.isSearched ? 'both' : 'matched'];
  const each = texelBytes + (work.mendsSheets ? SHEETS : 0);
  return base + besides(threads) + (threads > 1 ? point + handed : point) * sculptPoints + texels * each;
}

/** Putting a delivery together. @param points of the sculpt, and of the base that is shown with its maps
 *  @param values of the largest map's tile, which is drawn: as it stands in the file, and as it is read */
export const deliveringBytes = (points: number, values: number, threads: number): number =>
  BASE + besides(threads) + POINT.delivered * points + values * 8;

/** Displacing a base and comparing it with the sculpt. @param baseFaces after refining @param sculptPoints each with a quad or two triangles
 *  @param texels whose maps are in memory together, and the fields that they were made from (`texelsHeld`) */
export const provingBytes = (baseFaces: number, sculptPoints: number, texels: number, channels: number, threads: number): number =>
  BASE +
  besides(threads) +
  FACE.proven * baseFaces +
  POINT.compared * sculptPoints +
  POINT.searched * Math.max(baseFaces, sculptPoints) +
  texels * (8 * channels + 1);

/** Reading meshes and finding out how they belong together: all of them are kept. @param meshes `estimateMesh` of their files */
export function readingBytes(
  meshes: readonly { readonly points: number; readonly faces: number | null; readonly besides: number }[],
): number {
  const each = mayBeStack(meshes.map(({ faces }) => faces)) ? READ.matched : READ.alone;
  return meshes.reduce<number>((sum, { points, besides }) => sum + points * (each + besides), READ.base);
}

/** Whether by their numbers of faces meshes may be levels of one stack. A first refining gives a face for every corner, so three to five times as
 *  many; each further one four times. */
function mayBeStack(faces: readonly (number | null)[]): boolean {
  if (faces.length < 2) return false;
  const counts = faces.filter((n) => n !== null);
  if (counts.length < faces.length) return true;
  // levels above the first refining; the smallest part of one keeps rounding out of it
  const steps = log4(Math.max(...counts) / Math.min(...counts) / 3) + 1e-9;
  return steps >= 0 && steps % 1 <= log4(5 / 3) + 2e-9;
}

const log4 = (x: number): number => Math.log(x) / Math.log(4);
