import type { Box } from '../mesh/bounds';
import type { ConnectivityCount } from '../mesh/connectivity-count';
import { stepsBetween } from '../mesh/connectivity-count';
import { unusedName } from '../runtime/unused-name';
import { nameWords } from './name-words';

/** What is known of a mesh file before it is brought in. */
export interface FileFacts {
  /** Its name, with the folders it came in. */
  readonly path: string;
  /** Null for one that was not read: then its name alone says where it belongs. */
  readonly mesh: { readonly faces: number; readonly box: Box; readonly count: ConnectivityCount } | null;
  readonly bytes: number;
}

/** Which files make a part: numbers of files, the lightest first. */
export interface SortedPart {
  readonly name: string;
  readonly files: readonly number[];
  /** `alone`: a mesh that waits for its other. */
  readonly kind: 'stack' | 'free' | 'alone';
}

/** Of two boxes: meshes of one thing cover each other by more. */
const LEAST_SHARED = 0.5;
/** How much a name weighs beside a place, which counts at most 1; and how much more where it says which is which. */
const SAME_NAME = 2;
const ROLES_AGREE = 0.5;

/** Sorts files into parts: levels of one stack by their connectivity, whatever their names; a light mesh and its free sculpt by the names of
 *  their parts, then by the place they take in space; one that was not read goes with the one mesh that is left beside it. What is left stands alone. Parts come in the order of their first files.
 *
 *  Connectivity is told by counts that refining predicts (see `stepsBetween`): enough to propose by, and checked point by point on import. */
export function sortFiles(files: readonly FileFacts[]): SortedPart[] {
  const words = files.map(({ path }) => nameWords(path));
  const order = lightestFirst(files);
  const taken = new Set<number>();
  const parts: SortedPart[] = [];
  const add = (kind: SortedPart['kind'], members: readonly number[]): void => {
    for (const i of members) taken.add(i);
    parts.push({ kind, files: members, name: words[members[0]].part });
  };
  const kinship = (a: number, b: number): number => {
    const named = words[a].part.toLowerCase() === words[b].part.toLowerCase() ? SAME_NAME : 0;
    const roles = words[a].says === 'light' && words[b].says === 'fine' ? ROLES_AGREE : 0;
    return named + roles * named + sharedSpace(files[a], files[b]);
  };

  for (const stack of stacksOf(files, order, kinship)) add('stack', stack);
  for (const least of [SAME_NAME, LEAST_SHARED])
    for (const pair of pairsOf(
      order.filter((i) => !taken.has(i)),
      kinship,
      least,
    ))
      add('free', pair);
  // of a file that is too large to be looked into only the name is known: beside one mesh that waits, it is what that one waits for
  const [light, large, ...more] = order.filter((i) => !taken.has(i));
  if (large !== undefined && more.length === 0 && isReadBesideUnread(files[light], files[large])) add('free', [light, large]);
  for (const i of order) if (!taken.has(i)) add('alone', [i]);
  return named(parts.sort((a, b) => Math.min(...a.files) - Math.min(...b.files)));
}

/** What files make that are put together by hand, the lightest first. Null when they are no levels of one stack, and too many for a light mesh
 *  with its sculpt. */
export function madeOf(files: readonly FileFacts[]): Pick<SortedPart, 'files' | 'kind'> | null {
  const order = lightestFirst(files);
  if (order.length < 2) return { kind: 'alone', files: order };
  const [low, ...finer] = order.map((i) => files[i].mesh?.count);
  const steps = finer.map((count) => (low === undefined || count === undefined ? null : stepsBetween(low, count)));
  const apart = order.slice(1).some((i) => sharedSpace(files[order[0]], files[i]) < LEAST_SHARED);
  if (low !== undefined && isPlainGrid(low) && apart && order.length === 2) return { kind: 'free', files: order };
  if (steps.every((n) => n !== null) && new Set(steps).size === steps.length) return { kind: 'stack', files: order };
  // several that were not read may be levels: reading them will tell
  const unread = files.some(({ mesh }) => mesh === null);
  return order.length === 2 ? { kind: 'free', files: order } : unread ? { kind: 'stack', files: order } : null;
}

const lightestFirst = (files: readonly FileFacts[]): number[] =>
  files.map((_, i) => i).sort((a, b) => weight(files[a]) - weight(files[b]) || a - b);

/** Files that were not read are large; among themselves their names tell, then their bytes. */
const weight = ({ mesh, bytes, path }: FileFacts): number => mesh?.faces ?? UNREAD * ORDER[nameWords(path).says ?? 'none'] + bytes;
const UNREAD = 1e12;
const ORDER = { light: 1, none: 2, fine: 3 };

/** Each light mesh with the files that are refined from it. Where two have one connectivity, each file goes to the one that is nearer to it by
 *  name and place. */
function stacksOf(files: readonly FileFacts[], order: readonly number[], kinship: (a: number, b: number) => number): number[][] {
  const stacks = new Map<number, number[]>();
  const steps = new Map<number, Set<number>>();
  for (const i of order) {
    const { mesh } = files[i];
    if (mesh === null) continue;
    let best: { low: number; level: number; near: number } | null = null;
    for (const low of stacks.keys()) {
      const below = files[low].mesh;
      const level = below === null ? null : stepsBetween(below.count, mesh.count);
      if (level === null || steps.get(low)?.has(level) === true) continue;
      const near = kinship(low, i);
      if (below !== null && isPlainGrid(below.count) && near < LEAST_SHARED) continue;
      if (best === null || near > best.near) best = { low, level, near };
    }
    if (best === null) {
      stacks.set(i, [i]);
      steps.set(i, new Set());
    } else {
      stacks.get(best.low)?.push(i);
      steps.get(best.low)?.add(best.level);
    }
  }
  return [...stacks.values()].filter((members) => members.length > 1);
}

/** A closed grid that is regular all over: one of so many faces counts like any other. */
const isPlainGrid = ({ pointsByEdges, edgesByFaces }: ConnectivityCount): boolean =>
  pointsByEdges.size === 0 && edgesByFaces.size === 1 && edgesByFaces.has(2);

const isReadBesideUnread = (a: FileFacts, b: FileFacts): boolean =>
  a.mesh !== null && b.mesh === null && folderOf(a.path) === folderOf(b.path);
const folderOf = (path: string): string => path.slice(0, path.lastIndexOf('/') + 1);

/** Pairs by how near they are, the nearest first. */
function pairsOf(left: readonly number[], kinship: (a: number, b: number) => number, least: number): [number, number][] {
  const all = left.flatMap((a, k) => left.slice(k + 1).map((b): [number, number, number] => [a, b, kinship(a, b)]));
  const used = new Set<number>();
  const out: [number, number][] = [];
  for (const [a, b] of all.filter(([, , near]) => near >= least).sort((p, q) => q[2] - p[2])) {
    if (used.has(a) || used.has(b)) continue;
    used.add(a).add(b);
    out.push([a, b]);
  }
  return out;
}

/** Share of the smaller extent along each axis that two boxes have in common, multiplied: 0 when apart or not known, 1 when they agree. */
function sharedSpace({ mesh: a }: FileFacts, { mesh: b }: FileFacts): number {
  if (a === null || b === null) return 0;
  let share = 1;
  for (let k = 0; k < 3; k++) {
    const both = Math.min(a.box[k + 3], b.box[k + 3]) - Math.max(a.box[k], b.box[k]);
    const either = Math.max(a.box[k + 3], b.box[k + 3]) - Math.min(a.box[k], b.box[k]);
    // a flat mesh has no extent along its normal
    share *= either === 0 ? 1 : Math.max(0, both / either);
  }
  return share;
}

/** No two parts of one name. */
function named(parts: readonly SortedPart[]): SortedPart[] {
  const taken = new Set<string>();
  return parts.map((part) => {
    const name = unusedName(part.name, taken);
    taken.add(name);
    return { ...part, name };
  });
}
