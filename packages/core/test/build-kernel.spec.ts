import { kelpHoldfastBase } from '@estampe/demo';
import { buildInKernel } from '../src/spatial/build-kernel';
import { buildPlain } from '../src/spatial/bvh';
import { refineLevels } from '../src/subdivision/refine';
import { NODE_WORDS } from '../src/spatial/tree-node';
import { random } from './shapes';

/** Triangles without a mesh: three points each. */
const soup = (T: number, at: (t: number, k: number) => readonly number[]): { positions: Float32Array; corners: Uint32Array } => ({
  positions: Float32Array.from({ length: 9 * T }, (_, i) => at(Math.floor(i / 9), Math.floor(i / 3) % 3)[i % 3]),
  corners: Uint32Array.from({ length: 3 * T }, (_, i) => i),
});

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
    const plain = buildPlain(positions, corners);
    const made = buildInKernel(positions, corners);
    if (made === null) throw new Error('the kernel did not run');
    expect(made.used).toBe(plain.used);
    expect(made.order).toEqual(plain.order);
    const words = (nodes: Float32Array): Int32Array => new Int32Array(nodes.slice(0, NODE_WORDS * plain.used).buffer);
    expect(words(made.nodes)).toEqual(words(plain.nodes));
  });

  it('leaves small trees, and hosts that have no WebAssembly, to the plain builder', () => {
    const { positions, corners } = cases.scattered;
    expect(buildInKernel(positions, corners.subarray(0, 300))).toBeNull();
    const host = globalThis as { WebAssembly?: unknown };
    const had = host.WebAssembly;
    delete host.WebAssembly;
    try {
      expect(buildInKernel(positions, corners)).toBeNull();
    } finally {
      host.WebAssembly = had;
    }
  });
});
