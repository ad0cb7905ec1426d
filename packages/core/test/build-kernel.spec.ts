import { kelpHoldfastBase } from '@estampe/demo';
import { buildRayBvh } from '../src';
import { buildSpace, orderInto, TreeBuilder } from '../src/spatial/build-kernel';
import { binaryOf, buildBvh } from '../src/spatial/bvh';
import type { Bvh } from '../src/spatial/bvh';
import { BOX_B, BOX_WORDS, isLeaf, NODE_WORDS, REF_A, REF_B } from '../src/spatial/tree-node';
import { NODES_AT, WIDE, WIDE_WORDS } from '../src/spatial/wide-tree';
import { refineLevels } from '../src/subdivision/refine';
import { random } from './shapes';

/** Triangles without a mesh: three points each. */
const soup = (T: number, at: (t: number, k: number) => readonly number[]): { positions: Float32Array; corners: Uint32Array } => ({
  positions: Float32Array.from({ length: 9 * T }, (_, i) => at(Math.floor(i / 9), Math.floor(i / 3) % 3)[i % 3]),
  corners: Uint32Array.from({ length: 3 * T }, (_, i) => i),
});

/** Nodes of a binary tree gathered four by four, the largest boxes first: words of wide nodes. */
function widened(tree: Bvh): Int32Array {
  const { nodes, refs } = binaryOf(tree);
  const area = (o: number): number => {
    const [x, y, z] = [0, 1, 2].map((k) => nodes[o + 3 + k] - nodes[o + k]);
    return x * y + y * z + z * x;
  };
  const out: Int32Array[] = [];
  let used = 1;
  const waiting = [{ wide: 0, node: 0 }];
  for (let item = waiting.pop(); item !== undefined; item = waiting.pop()) {
    const o = NODE_WORDS * item.node;
    const children = [
      { box: o, ref: refs[o + REF_A] },
      { box: o + BOX_B, ref: refs[o + REF_B] },
    ].filter(({ box }) => nodes[box] <= nodes[box + 3]); // an only leaf has an empty box beside it
    while (children.length < WIDE) {
      const inner = children.filter(({ ref }) => !isLeaf(ref));
      if (inner.length === 0) break;
      const widest = inner.reduce((a, b) => (area(b.box) > area(a.box) ? b : a));
      const at = NODE_WORDS * widest.ref;
      children[children.indexOf(widest)] = { box: at, ref: refs[at + REF_A] };
      children.push({ box: at + BOX_B, ref: refs[at + REF_B] });
    }
    const node = new Float32Array(WIDE_WORDS);
    const own = new Int32Array(node.buffer);
    for (let k = 0; k < WIDE; k++)
      for (let axis = 0; axis < BOX_WORDS; axis++) {
        const empty = axis < 3 ? Infinity : -Infinity;
        node[4 * axis + k] = k < children.length ? nodes[children[k].box + axis] : empty;
      }
    for (const [k, { ref }] of children.entries()) {
      own[4 * BOX_WORDS + k] = isLeaf(ref) ? ref : used;
      if (!isLeaf(ref)) waiting.push({ wide: used++, node: ref });
    }
    out[item.wide] = own;
  }
  return Int32Array.from(out.flatMap((node) => [...node]));
}

describe('the kernel that builds trees', () => {
  const rnd = random(5);
  const cases = {
    scattered: soup(4000, () => [rnd(), 3 * rnd(), rnd() ** 4]),
    'all in one place': soup(2500, (_, k) => [k, k * k, 0]),
    'in a line, far from zero': soup(3000, (t, k) => [1e6 + t, 5 * k, -2e5]),
    'in a plane, at few places': soup(5000, (t, k) => [t % 7, (t >> 3) % 5, k === 2 ? 0.5 : 0]),
    'closer and closer': soup(2200, (t, k) => [0.98 ** t, k * 0.98 ** t, 1 + k]),
    'of a sculpt': (({ positions, faceVerts }) => ({ positions, corners: Uint32Array.from({ length: 1.5 * faceVerts.length }, (_, i) => faceVerts[4 * Math.floor(i / 6) + [0, 1, 2, 0, 2, 3][i % 6]]) }))(refineLevels(kelpHoldfastBase(), 2).mesh), // prettier-ignore
  };

  it.each(Object.entries(cases))('gives word by word what the plain builder gives: %s', (_, { positions, corners }) => {
    for (const part of [corners, corners.subarray(0, 3), corners.subarray(0, 9), corners.subarray(0, 300)]) {
      const [plain, made] = [buildBvh(positions, part), buildRayBvh(positions, part)];
      if (made.wide === null) throw new Error('the kernel did not run');
      const wanted = widened(plain);
      const words = new Int32Array(made.wide.memory.buffer, NODES_AT, wanted.length);
      expect(Buffer.from(words.slice().buffer).equals(Buffer.from(wanted.buffer))).toBe(true);
      expect(made.triangles).toEqual(plain.triangles);
      expect(made.verts.slice()).toEqual(plain.verts);
      expect(made.largest).toBe(plain.largest);
    }
  });

  it('finds room for points that no triangle has, and for another tree where one was', () => {
    const { positions, corners } = cases.scattered;
    const many = new Float32Array(40 * positions.length);
    many.set(positions);
    const [alone, among] = [buildRayBvh(positions, corners), buildRayBvh(many, corners)];
    expect(among.verts.slice()).toEqual(alone.verts.slice());
    const spare = among.wide?.memory ?? null;
    const again = buildRayBvh(positions, corners, undefined, spare);
    expect(again.wide?.memory).toBe(spare);
    expect(again.verts.slice()).toEqual(alone.verts.slice());
  });

  it('goes on where a thread ended in the middle, and says when too many have', () => {
    const { positions, corners } = cases['of a sculpt'];
    const T = corners.length / 3;
    const space = buildSpace(positions, corners, 1, null);
    if (space === null) throw new Error('the kernel did not run');
    new TreeBuilder(space).record({ from: 0, to: T });
    const after = new TreeBuilder(space);
    expect(after.build({ from: 0, to: T }, 0, 1)).toBe(true);
    const order = new Uint32Array(T);
    orderInto(order, space);
    expect(order).toEqual(buildRayBvh(positions, corners).triangles);
    const more = (): TreeBuilder[] => Array.from({ length: space.builders }, () => new TreeBuilder(space));
    expect(more).toThrow(/more than \d+ threads build one tree/);
  });
});
