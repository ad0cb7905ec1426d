import { meanEdgeLength } from '../mesh/edge-length';
import { neighboursOf } from '../mesh/neighbours';
import { vertexNormals } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount } from '../mesh/poly-mesh';
import type { EdgeTable } from '../mesh/topology';
import type { RunControl } from '../runtime/progress';
import { subProgress, throwIfAborted } from '../runtime/progress';
import type { Threads } from '../runtime/threads';
import { placeF32, rangesOf } from '../runtime/threads';
import { ClosestQuery } from '../spatial/closest';
import { NO_HIT } from '../spatial/ray';
import { deviation } from './deviation';
import { fillHarmonic } from './fill';
import type { Hits } from './project-points';
import { noHits, projectPoints } from './project-points';
import { reachOver } from './reach-over';
import { refuseHits } from './refuse-hits';
import { SurfaceWalk } from './surface-walk';
import type { Choices, TransferTarget } from './target';
import { choicesOf } from './target';
import { MAX_LISTED } from '../uv/finding';
import { unfold } from './unfold';

/** How a level was projected. */
export interface TransferFigures {
  readonly faces: number;
  /** Share of the points that lie on the sculpt by an answer of their own. */
  readonly projectedShare: number;
  /** Points that went along with their neighbours. */
  readonly carried: number;
  /** Points whose first answer was taken from another part of the sculpt, and was refused. */
  readonly refused: number;
  /** Distance to the sculpt, both ways, scene units. */
  readonly rms: number;
  readonly max: number;
  /** Faces that face against the sculpt under them. */
  readonly folds: number;
  /** How far was searched along the normals, scene units. */
  readonly reach: number;
}

export interface TransferredLevel extends TransferFigures {
  readonly mesh: PolyMesh;
  /** Faces with a point that no answer was found for, and folded faces; at most `MAX_LISTED`. */
  readonly missed: readonly number[];
  readonly folded: readonly number[];
}

const TASK = 4096;
/** The second search goes as far as this many edges around what the neighbours say. */
const AGAIN_EDGES = 2;
/** A patch of the sculpt to walk along, in edges of the level. */
const PATCH_EDGES = 0.2;

/** Moves the points of a refined level onto the sculpt.
 *  @param level as it was refined from the level below; kept  @param asked how far to search, scene units; null measures it
 *  @throws CancelledError */
export async function transferLevel(
  level: PolyMesh,
  edges: EdgeTable,
  target: TransferTarget,
  asked: number | null,
  threads: Threads,
  control?: RunControl,
): Promise<TransferredLevel> {
  const P = pointCount(level);
  const points = placeF32(level.positions, threads.allocate);
  const normals = vertexNormals(level, threads.allocate);
  const edge = meanEdgeLength(level);
  const reach = asked ?? reachOver(points, edge, new ClosestQuery(target.trees[0].tree));
  const choices = choicesOf(level, target);
  const neighbours = neighboursOf(edges, P);
  const positions = points.slice();
  let walk: SurfaceWalk | null = null;
  const walkOf = (): SurfaceWalk => (walk ??= new SurfaceWalk(target.mesh.positions, target.edges(), Math.max(PATCH_EDGES * edge, 1e-30)));

  control?.onProgress?.(0.1, 'projecting');
  const hits = await cast(points, normals, choices, reach, target, threads, subProgress(control, 0.1, 0.5));
  const isAnswered = Uint8Array.from(hits.triangle, (t) => Number(t !== NO_HIT));
  place(positions, points, normals, hits);
  const refused = refuse();
  fillIn();
  throwIfAborted(control);

  // once more from where the neighbours have gone
  const open = indicesWhere(isAnswered, 0);
  if (open.length > 0 && open.length < P) {
    const now = { ...level, positions };
    const turned = vertexNormals(now);
    const some = (values: Float32Array): Float32Array => placeF32(Float32Array.from(open.flatMap((v) => [values[3 * v], values[3 * v + 1], values[3 * v + 2]])), threads.allocate); // prettier-ignore
    const own: Choices = { trees: choices.trees, which: Uint16Array.from(open, (v) => choices.which[v]) };
    const [from, along] = [some(positions), some(turned)];
    const within = Math.min(reach, AGAIN_EDGES * edge);
    const found = await cast(from, along, own, within, target, threads, subProgress(control, 0.5, 0.6));
    const moved = from.slice();
    place(moved, from, along, found);
    open.forEach((v, i) => {
      if (found.triangle[i] === NO_HIT) return;
      isAnswered[v] = 1;
      hits.triangle[v] = found.triangle[i];
      hits.u[v] = found.u[i];
      hits.v[v] = found.v[i];
      positions.set(moved.subarray(3 * i, 3 * i + 3), 3 * v);
    });
    refuse();
    fillIn();
  }
  const colors = coloursOf();
  const mesh: PolyMesh = { ...level, positions, normals: null, faceNormals: null, colors };
  const folded = unfold(mesh, normals, hits, target, neighbours, new ClosestQuery(target.trees[0].tree));
  const carried = isAnswered.reduce((n, a) => n + 1 - a, 0);
  control?.onProgress?.(0.7, 'measuring');
  const { rms, max } = await deviation(mesh, target, threads, subProgress(control, 0.7, 1));
  return {
    mesh,
    faces: faceCount(mesh),
    projectedShare: P === 0 ? 1 : 1 - carried / P,
    carried,
    refused,
    rms,
    max,
    folds: folded.length,
    reach,
    missed: facesAt(mesh, isAnswered),
    folded: folded.slice(0, MAX_LISTED),
  };

  /** Takes answers away that are of another part of the sculpt. */
  function refuse(): number {
    const corners = hits.triangle.map((t) => (t === NO_HIT ? NO_HIT : target.verts[3 * t]));
    const count = refuseHits(edges, { points, places: positions, corners }, isAnswered, walkOf);
    if (count > 0) for (let v = 0; v < P; v++) if (isAnswered[v] === 0) hits.triangle[v] = NO_HIT;
    return count;
  }
  /** Puts points without an answer where the displacement of their neighbours takes them. */
  function fillIn(): void {
    if (!isAnswered.includes(0)) return;
    const by = new Float32Array(3 * P);
    for (let i = 0; i < by.length; i++) by[i] = isAnswered[Math.floor(i / 3)] === 1 ? positions[i] - points[i] : 0;
    fillHarmonic(by, 3, isAnswered, neighbours);
    for (let i = 0; i < by.length; i++) if (isAnswered[Math.floor(i / 3)] === 0) positions[i] = points[i] + by[i];
  }
  /** Colours of the sculpt where points lie on it, and their neighbours' elsewhere. */
  function coloursOf(): Float32Array | null {
    const { colors } = target.mesh;
    if (colors === null) return level.colors;
    const out = new Float32Array(3 * P);
    for (let v = 0; v < P; v++) {
      if (hits.triangle[v] === NO_HIT) continue;
      const [a, b, c] = [0, 1, 2].map((k) => 3 * target.verts[3 * hits.triangle[v] + k]);
      for (let k = 0; k < 3; k++)
        out[3 * v + k] = (1 - hits.u[v] - hits.v[v]) * colors[a + k] + hits.u[v] * colors[b + k] + hits.v[v] * colors[c + k];
    }
    fillHarmonic(out, 3, isAnswered, neighbours);
    return out;
  }
}

async function cast(
  points: Float32Array,
  normals: Float32Array,
  choices: Choices,
  reach: number,
  { trees }: TransferTarget,
  threads: Threads,
  control?: RunControl,
): Promise<Hits> {
  const n = points.length / 3;
  const hits = noHits(n);
  const tasks = rangesOf(n, TASK);
  await threads.run(
    projectPoints,
    { points, normals, trees, choices, reach },
    tasks,
    (found, i) => {
      const { from } = tasks[i];
      hits.t.set(found.t, from);
      hits.triangle.set(found.triangle, from);
      hits.u.set(found.u, from);
      hits.v.set(found.v, from);
    },
    control,
  );
  return hits;
}

/** Moves points to their hits. */
function place(positions: Float32Array, points: Float32Array, normals: Float32Array, { t, triangle }: Hits): void {
  for (let v = 0; v < triangle.length; v++)
    if (triangle[v] !== NO_HIT) for (let k = 0; k < 3; k++) positions[3 * v + k] = points[3 * v + k] + t[v] * normals[3 * v + k];
}

function indicesWhere(values: Uint8Array, value: number): number[] {
  const out: number[] = [];
  for (let i = 0; i < values.length; i++) if (values[i] === value) out.push(i);
  return out;
}

/** The first faces that have a point without an answer. */
function facesAt({ faceOffsets, faceVerts }: PolyMesh, answered: Uint8Array): number[] {
  const out: number[] = [];
  for (let f = 0; f + 1 < faceOffsets.length && out.length < MAX_LISTED; f++)
    for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++)
      if (answered[faceVerts[c]] === 0) {
        out.push(f);
        break;
      }
  return out;
}
