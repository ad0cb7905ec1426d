import type { PolyMesh } from '@estampe/core';
import { checkMesh, diagonalOf, faceCount, stackLevel, pointCount, polyMesh } from '@estampe/core';
import { bellClapper, bellClapperBase, cubeSphere, harbourBell, kelpHoldfast, kelpHoldfastBase, surfaceNets } from '../src';

/** Volume within a closed mesh of quads, positive where faces look outwards. */
function volume({ positions: p, faceVerts }: PolyMesh): number {
  let six = 0;
  for (let f = 0; f < faceVerts.length; f += 4)
    for (const [i, j, k] of [[0, 1, 2], [0, 2, 3]]) {
      const [a, b, c] = [i, j, k].map((x) => 3 * faceVerts[f + x]);
      six += p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) + p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) + p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
    } // prettier-ignore
  return six / 6;
}

describe('Clapper', () => {
  it('is a clean light mesh with a stack of its own that fits into the bell', () => {
    expect(checkMesh(bellClapperBase())).toMatchObject({ faces: 864, points: 866, tiles: [1001], findings: [{ code: 'uv-stretched' }] });
    const levels = bellClapper(2);
    expect(levels.map(faceCount)).toEqual([864, 3456, 13824]);
    expect(stackLevel(levels[0], levels[2])?.levels).toBe(2);
    expect(bellClapper(2)[2].positions).toEqual(levels[2].positions);
    const widest = (mesh: PolyMesh): number => {
      let most = 0;
      for (let i = 0; i < mesh.positions.length; i += 3) most = Math.max(most, Math.hypot(mesh.positions[i], mesh.positions[i + 2]));
      return most;
    };
    expect(widest(levels[2])).toBeLessThan(0.5 * widest(harbourBell(1)[1]));
  });

  it('is worn flat where it strikes: closer to the axis there than on the sides that do not', () => {
    const { positions } = bellClapper(3)[3];
    const across = (axis: 0 | 2): number => {
      let most = 0;
      for (let i = 0; i < positions.length; i += 3) if (Math.abs(positions[i + 1] - 70) < 20) most = Math.max(most, Math.abs(positions[i + axis])); // prettier-ignore
      return most;
    };
    expect(across(0)).toBeLessThan(across(2) - 1);
  });
});

describe('Kelp holdfast', () => {
  it('has a clean light mesh that lies over the strands: most of the sculpt is within it', () => {
    const low = kelpHoldfastBase();
    expect(checkMesh(low)).toMatchObject({ faces: 1536, tiles: [1001], findings: [{ code: 'uv-stretched' }, { code: 'uv-uneven' }] });
    const sculpt = kelpHoldfast(2)[1];
    expect(volume(low)).toBeGreaterThan(1.5 * volume(sculpt));
    expect(diagonalOf(low.positions) / diagonalOf(sculpt.positions)).toBeCloseTo(1, 0);
  });

  it('is a free sculpt with colours, finer with each level, the same every time', () => {
    const [coarse, fine] = [kelpHoldfast(1)[1], kelpHoldfast(2)[1]];
    expect(faceCount(fine)).toBeGreaterThan(3 * faceCount(coarse));
    expect(fine.uvs).toBeNull();
    expect(fine.colors).toHaveLength(3 * pointCount(fine));
    expect(kelpHoldfast(2)[1].positions).toEqual(fine.positions);
    expect(volume(fine)).toBeGreaterThan(0);
  });
});

describe('surface nets', () => {
  it('put a ball where it is: closed, facing outwards, its volume and every point right', () => {
    const side = 33;
    const step = 2 / (side - 1);
    const radius = 0.7;
    const at = (i: number): number => -1 + step * i;
    const data = Float32Array.from({ length: side ** 3 }, (_, i) => {
      const [x, y, z] = [i % side, Math.floor(i / side) % side, Math.floor(i / side ** 2)].map(at);
      return radius - Math.hypot(x, y, z);
    });
    const mesh = polyMesh(surfaceNets(data, side, 0, step, -1));
    expect(checkMesh(mesh).findings.map((f) => f.code)).toEqual(['no-uvs']);
    expect(volume(mesh)).toBeCloseTo((4 / 3) * Math.PI * radius ** 3, 1);
    for (let i = 0; i < mesh.positions.length; i += 3)
      expect(Math.abs(Math.hypot(mesh.positions[i], mesh.positions[i + 1], mesh.positions[i + 2]) - radius)).toBeLessThan(0.35 * step);
    expect(surfaceNets(new Float32Array(27), 3, 1, 1, 0).faceVerts).toHaveLength(0);
  });
});

describe('a cube drawn to a ball', () => {
  it('is closed, faces outwards, and its islands keep apart', () => {
    const ball = cubeSphere('ball', 6, ([x, y, z]) => [2 * x, 2 * y, 2 * z]);
    expect(checkMesh(ball)).toMatchObject({ faces: 216, points: 218, findings: [] });
    expect(volume(ball)).toBeGreaterThan(0.95 * (4 / 3) * Math.PI * 8);
  });
});
