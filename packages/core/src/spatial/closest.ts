import type { Bvh } from './bvh';
import { binaryOf } from './bvh';
import { BOX_B, isLeaf, leafFirst, leafLast, NODE_WORDS, REF_A, REF_B } from './tree-node';
import { NO_HIT } from './ray';
import type { RaySearcher, WideTree } from './wide-tree';
import { searcherOf } from './wide-tree';

/** Closest point on the triangles of a tree: by the kernel where the tree has one. One object a thread: it owns the stack and its last answer, and starts each
 *  search from the triangle of the last one, which makes neighbouring queries cheap. */
export class ClosestQuery {
  slot = NO_HIT;
  /** Squared distance of the last answer. */
  distance2 = Infinity;
  x = 0;
  y = 0;
  z = 0;
  /** Barycentric weights of the triangle's second and third corner at the closest point. */
  u = 0;
  v = 0;
  private readonly stack = new Int32Array(256);
  private readonly stackDistance = new Float64Array(256);

  private readonly searcher: RaySearcher | null;

  constructor(private readonly bvh: Bvh) {
    this.searcher = bvh.wide === null ? null : searcherOf(bvh.wide);
  }

  get triangle(): number {
    return this.slot === NO_HIT ? NO_HIT : this.bvh.triangles[this.slot];
  }

  /** Closest point to (px, py, pz) within `maxDistance`; false when there is none. Which triangle wins a tie is not promised. */
  find(px: number, py: number, pz: number, maxDistance = Infinity): boolean {
    return this.searcher === null || this.bvh.wide === null
      ? this.findPlainly(px, py, pz, maxDistance)
      : this.findInKernel(this.searcher, this.bvh.wide, px, py, pz, maxDistance);
  }

  private findInKernel(
    { kernel, scratch, nodesAt, answer }: RaySearcher,
    { vertsAt }: WideTree,
    px: number,
    py: number,
    pz: number,
    maxDistance: number,
  ): boolean {
    // prettier-ignore
    this.slot = kernel.closest(scratch, nodesAt, vertsAt, this.bvh.largest, px, py, pz, maxDistance * maxDistance, this.slot === NO_HIT ? -1 : this.slot) >>> 0; // prettier-ignore
    if (this.slot === NO_HIT) {
      this.distance2 = maxDistance * maxDistance;
      return false;
    }
    this.distance2 = answer[0];
    this.x = answer[1];
    this.y = answer[2];
    this.z = answer[3];
    this.u = answer[4];
    this.v = answer[5];
    return true;
  }

  /** The reference for the kernel. */
  private findPlainly(px: number, py: number, pz: number, maxDistance: number): boolean {
    const { triangles } = this.bvh;
    const { nodes, refs } = binaryOf(this.bvh);
    const { stack, stackDistance } = this;
    const seed = this.slot;
    this.slot = NO_HIT;
    this.distance2 = maxDistance * maxDistance;
    if (seed !== NO_HIT && seed < triangles.length) this.testTriangle(seed, px, py, pz);
    if (triangles.length === 0) return false;
    let depth = 0;
    let ref = 0;
    for (;;) {
      if (isLeaf(ref)) {
        const last = leafLast(ref);
        for (let i = leafFirst(ref); i <= last; i++) this.testTriangle(i, px, py, pz);
      } else {
        const o = ref * NODE_WORDS;
        const b = o + BOX_B;
        let dx = nodes[o] - px > 0 ? nodes[o] - px : px - nodes[o + 3] > 0 ? px - nodes[o + 3] : 0;
        let dy = nodes[o + 1] - py > 0 ? nodes[o + 1] - py : py - nodes[o + 4] > 0 ? py - nodes[o + 4] : 0;
        let dz = nodes[o + 2] - pz > 0 ? nodes[o + 2] - pz : pz - nodes[o + 5] > 0 ? pz - nodes[o + 5] : 0;
        const da = dx * dx + dy * dy + dz * dz;
        dx = nodes[b] - px > 0 ? nodes[b] - px : px - nodes[b + 3] > 0 ? px - nodes[b + 3] : 0;
        dy = nodes[b + 1] - py > 0 ? nodes[b + 1] - py : py - nodes[b + 4] > 0 ? py - nodes[b + 4] : 0;
        dz = nodes[b + 2] - pz > 0 ? nodes[b + 2] - pz : pz - nodes[b + 5] > 0 ? pz - nodes[b + 5] : 0;
        const db = dx * dx + dy * dy + dz * dz;
        const near = da <= db ? REF_A : REF_B;
        const dNear = da <= db ? da : db;
        const dFar = da <= db ? db : da;
        if (dFar < this.distance2) {
          stack[depth] = refs[o + REF_A + REF_B - near];
          stackDistance[depth++] = dFar;
        }
        if (dNear < this.distance2) {
          ref = refs[o + near];
          continue;
        }
      }
      do {
        if (depth === 0) return this.slot !== NO_HIT;
        ref = stack[--depth];
      } while (stackDistance[depth] >= this.distance2);
    }
  }

  /** Ericson, Real-Time Collision Detection, 5.1.5. */
  private testTriangle(i: number, px: number, py: number, pz: number): void {
    const { verts } = this.bvh;
    const o = 9 * i;
    const ax = verts[o], ay = verts[o + 1], az = verts[o + 2]; // prettier-ignore
    const abx = verts[o + 3] - ax, aby = verts[o + 4] - ay, abz = verts[o + 5] - az; // prettier-ignore
    const acx = verts[o + 6] - ax, acy = verts[o + 7] - ay, acz = verts[o + 8] - az; // prettier-ignore
    const apx = px - ax, apy = py - ay, apz = pz - az; // prettier-ignore
    const d1 = abx * apx + aby * apy + abz * apz;
    const d2 = acx * apx + acy * apy + acz * apz;
    let u: number;
    let v: number;
    if (d1 <= 0 && d2 <= 0) u = v = 0;
    else {
      const bpx = apx - abx, bpy = apy - aby, bpz = apz - abz; // prettier-ignore
      const d3 = abx * bpx + aby * bpy + abz * bpz;
      const d4 = acx * bpx + acy * bpy + acz * bpz;
      const vc = d1 * d4 - d3 * d2;
      if (d3 >= 0 && d4 <= d3) {
        u = 1;
        v = 0;
      } else if (vc <= 0 && d1 >= 0 && d3 <= 0) {
        u = d1 / (d1 - d3);
        v = 0;
      } else {
        const cpx = apx - acx, cpy = apy - acy, cpz = apz - acz; // prettier-ignore
        const d5 = abx * cpx + aby * cpy + abz * cpz;
        const d6 = acx * cpx + acy * cpy + acz * cpz;
        const vb = d5 * d2 - d1 * d6;
        const va = d3 * d6 - d5 * d4;
        if (d6 >= 0 && d5 <= d6) {
          u = 0;
          v = 1;
        } else if (vb <= 0 && d2 >= 0 && d6 <= 0) {
          u = 0;
          v = d2 / (d2 - d6);
        } else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
          v = (d4 - d3) / (d4 - d3 + (d5 - d6));
          u = 1 - v;
        } else {
          const sum = va + vb + vc;
          u = sum === 0 ? 0 : vb / sum;
          v = sum === 0 ? 0 : vc / sum;
        }
      }
    }
    const x = ax + u * abx + v * acx;
    const y = ay + u * aby + v * acy;
    const z = az + u * abz + v * acz;
    const distance2 = (px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2;
    if (distance2 < this.distance2) {
      this.distance2 = distance2;
      this.slot = i;
      this.x = x;
      this.y = y;
      this.z = z;
      this.u = u;
      this.v = v;
    }
  }
}
