import { faceGroups } from '../mesh/groups';
import type { Neighbours, Rows } from '../mesh/neighbours';
import { neighboursOf, rowsBy } from '../mesh/neighbours';
import { faceNormal } from '../mesh/normals';
import type { PolyMesh } from '../mesh/poly-mesh';
import { faceCount, pointCount } from '../mesh/poly-mesh';
import { buildEdges, connectivityOf } from '../mesh/topology';
import { InvalidInputError } from '../runtime/errors';
import { checkRange } from '../runtime/options';
import { ClosestQuery } from '../spatial/closest';
import { LineQuery } from '../spatial/ray';
import type { Choices, TransferTarget } from './target';
import { choicesOf } from './target';

/** What a brush does to the points under it. `smooth`: to the middle of their neighbours; `push`: along their normals; `drag`: to the nearest place
 *  of the sculpt; `project`: along their normals to the sculpt, as the transfer does. */
export const BRUSH_TOOLS = ['smooth', 'push', 'drag', 'project'] as const;
export type BrushTool = (typeof BRUSH_TOOLS)[number];
export const needsSculpt = (tool: BrushTool): boolean => tool === 'drag' || tool === 'project';

export interface Stroke {
  readonly tool: BrushTool;
  /** Scene units; how far `project` looks as well. */
  readonly radius: number;
  /** 0 to 1; `push` goes inwards below 0, and its whole strength is a fifth of the radius. */
  readonly strength: number;
  /** Points that the brush passes over, one after another. */
  readonly points: readonly number[];
  /** A group whose points are meant instead, all alike but those of its border; null for the round brush. */
  readonly group: string | null;
}

/** Rounds of smoothing at each place. */
const ROUNDS = 4;
const PUSHED = 0.2;

/** A brush over one level. It reaches along the surface, not through space: a finger is not touched from the next one. */
export class LevelBrush {
  /** Changed by strokes. */
  readonly positions: Float32Array;
  private readonly neighbours: Neighbours;
  private readonly faces: Rows;
  private readonly seen: Uint32Array;
  private readonly choices: Choices | null;
  private readonly closest: ClosestQuery | null;
  private readonly lines: readonly LineQuery[];
  /** The level with the positions that change. */
  private readonly moving: PolyMesh;
  private turn = 0;

  /** @param mesh its positions are copied, the rest is kept
   *  @param target null without a sculpt; then only what needs none can be done */
  constructor(
    private readonly mesh: PolyMesh,
    private readonly target: TransferTarget | null,
  ) {
    this.positions = mesh.positions.slice();
    this.moving = { ...mesh, positions: this.positions };
    this.neighbours = neighboursOf(buildEdges(connectivityOf(mesh)), pointCount(mesh));
    const faceOf = new Uint32Array(mesh.faceVerts.length);
    for (let f = 0; f < faceCount(mesh); f++) faceOf.fill(f, mesh.faceOffsets[f], mesh.faceOffsets[f + 1]);
    this.faces = rowsBy(pointCount(mesh), mesh.faceVerts, (c) => faceOf[c]);
    this.seen = new Uint32Array(pointCount(mesh));
    this.choices = target === null ? null : choicesOf(mesh, target);
    this.closest = target === null ? null : new ClosestQuery(target.trees[0].tree);
    this.lines = target === null ? [] : target.trees.map(({ tree }) => new LineQuery(tree));
  }

  /** @returns points that may have moved  @throws InvalidInputError BAD_OPTION */
  apply({ tool, radius, strength, points, group }: Stroke): Uint32Array {
    checkRange('strength', strength, tool === 'push' ? -1 : 0, 1);
    if (!(radius > 0 && Number.isFinite(radius)))
      throw new InvalidInputError('BAD_OPTION', 'A brush needs a radius above 0.', { option: 'radius' });
    if (needsSculpt(tool) && this.target === null)
      throw new InvalidInputError('BAD_OPTION', `There is no sculpt to ${tool} to; only smoothing and pushing can be done here.`, {
        option: 'tool',
      });
    const moved = new Set<number>();
    const dab = (under: Under): void => {
      this.move(under, tool, radius, strength);
      for (const v of under.points) moved.add(v);
    };
    if (group !== null) dab(this.insideOf(group));
    else
      for (const v of points) {
        if (!(v < this.seen.length)) throw new InvalidInputError('BAD_OPTION', `This level has no point ${v}.`, { option: 'points' });
        dab(this.around(v, radius));
      }
    return Uint32Array.from(moved);
  }

  /** Unit normals, by area, where points moved and beside them: those of their faces. @returns the points, and three numbers for each */
  normalsNear(moved: Uint32Array): { readonly points: Uint32Array; readonly normals: Float32Array } {
    const { faceOffsets, faceVerts } = this.mesh;
    const turn = ++this.turn;
    const points: number[] = [];
    for (const v of moved)
      for (let i = this.faces.start[v]; i < this.faces.start[v + 1]; i++) {
        const f = this.faces.values[i];
        for (let c = faceOffsets[f]; c < faceOffsets[f + 1]; c++) {
          const w = faceVerts[c];
          if (this.seen[w] === turn) continue;
          this.seen[w] = turn;
          points.push(w);
        }
      }
    const normals = new Float32Array(3 * points.length);
    points.forEach((v, k) => normals.set(this.normalAt(v), 3 * k));
    return { points: Uint32Array.from(points), normals };
  }

  /** Points within the radius that edges lead to from one of them; weights fall smoothly to nothing at the rim. */
  private around(centre: number, radius: number): Under {
    const { positions: p, seen } = this;
    const { start, points: next } = this.neighbours;
    const turn = ++this.turn;
    const [x, y, z] = [p[3 * centre], p[3 * centre + 1], p[3 * centre + 2]];
    const points = [centre];
    const weights = [1];
    seen[centre] = turn;
    for (let k = 0; k < points.length; k++) {
      const v = points[k];
      for (let i = start[v]; i < start[v + 1]; i++) {
        const w = next[i];
        if (seen[w] === turn) continue;
        seen[w] = turn;
        const d2 = ((p[3 * w] - x) ** 2 + (p[3 * w + 1] - y) ** 2 + (p[3 * w + 2] - z) ** 2) / (radius * radius);
        if (d2 >= 1) continue;
        points.push(w);
        weights.push((1 - d2) ** 2);
      }
    }
    return { points, weights };
  }

  private insideOf(group: string): Under {
    const { names, of } = faceGroups(this.mesh);
    const g = names.indexOf(group);
    if (g < 0) throw new InvalidInputError('BAD_OPTION', `This level has no group ${group}.`, { option: 'group' });
    const points: number[] = [];
    for (let v = 0; v < this.seen.length; v++) {
      let inside = this.faces.start[v] < this.faces.start[v + 1];
      for (let i = this.faces.start[v]; inside && i < this.faces.start[v + 1]; i++) inside = of[this.faces.values[i]] === g;
      if (inside) points.push(v);
    }
    return { points, weights: points.map(() => 1) };
  }

  private move({ points, weights }: Under, tool: BrushTool, radius: number, strength: number): void {
    const { positions: p } = this;
    // all from where they were, so that the order of the points does not matter
    const to = new Float64Array(3 * points.length);
    for (let round = 0; round < (tool === 'smooth' ? ROUNDS : 1); round++) {
      for (let k = 0; k < points.length; k++) {
        const share = weights[k] * strength;
        if (!this.aim(points[k], tool, radius, share, to, 3 * k)) for (let i = 0; i < 3; i++) to[3 * k + i] = p[3 * points[k] + i];
      }
      for (let k = 0; k < points.length; k++) for (let i = 0; i < 3; i++) p[3 * points[k] + i] = to[3 * k + i];
    }
  }

  /** Where a point is to go. @returns false where it stays */
  private aim(v: number, tool: BrushTool, radius: number, share: number, to: Float64Array, o: number): boolean {
    const { positions: p } = this;
    const [x, y, z] = [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
    let [ax, ay, az] = [0, 0, 0];
    if (tool === 'smooth') {
      const { start, points } = this.neighbours;
      const n = start[v + 1] - start[v];
      if (n === 0) return false;
      for (let i = start[v]; i < start[v + 1]; i++) {
        ax += p[3 * points[i]] / n;
        ay += p[3 * points[i] + 1] / n;
        az += p[3 * points[i] + 2] / n;
      }
    } else if (tool === 'drag') {
      const { closest } = this;
      if (closest?.find(x, y, z) !== true) return false;
      [ax, ay, az] = [closest.x, closest.y, closest.z];
    } else {
      const [nx, ny, nz] = this.normalAt(v);
      let t = PUSHED * radius;
      if (tool === 'project') {
        const hit = this.hitOf(v, radius, nx, ny, nz);
        if (hit === null) return false;
        t = hit;
      }
      [ax, ay, az] = [x + t * nx, y + t * ny, z + t * nz];
    }
    to[o] = x + share * (ax - x);
    to[o + 1] = y + share * (ay - y);
    to[o + 2] = z + share * (az - z);
    return true;
  }

  /** Nearest hit both ways along a normal, on a side that faces alike. */
  private hitOf(v: number, radius: number, nx: number, ny: number, nz: number): number | null {
    const { positions: p, choices } = this;
    if (choices === null || (nx === 0 && ny === 0 && nz === 0)) return null;
    let within = radius;
    let found: number | null = null;
    for (const n of choices.trees[choices.which[v]]) {
      const line = this.lines[n];
      if (!line.nearest(p[3 * v], p[3 * v + 1], p[3 * v + 2], nx, ny, nz, 0, -within, within, 'along')) continue;
      found = line.t;
      within = Math.abs(found);
    }
    return found;
  }

  /** Unit normal at a point, of the faces around it by area; zero where they cancel. */
  private normalAt(v: number): [number, number, number] {
    const { start, values } = this.faces;
    let [x, y, z] = [0, 0, 0];
    for (let i = start[v]; i < start[v + 1]; i++) {
      const n = faceNormal(this.moving, values[i]);
      x += n[0];
      y += n[1];
      z += n[2];
    }
    const length = Math.hypot(x, y, z);
    return length === 0 ? [0, 0, 0] : [x / length, y / length, z / length];
  }
}

/** Points under a brush, and how much of its strength each gets. */
interface Under {
  readonly points: readonly number[];
  readonly weights: readonly number[];
}
