import type { Stroke } from '../src';
import { addedLevel, compareLevel, faceGroups, inlineThreads, InvalidInputError, LevelBrush, polyMesh, raisedBase, transferSculpt, transferTarget, withGroups, withGroupsOf } from '../src'; // prettier-ignore
import { refineLevels } from '../src/subdivision/refine';
import { cube, known, onSphere, plane } from './shapes';

const stroke = (given: Partial<Stroke>): Stroke => ({ tool: 'smooth', radius: 0.3, strength: 1, points: [], group: null, ...given });
const heightsOf = (positions: Float32Array): number[] => [...positions.keys()].filter((i) => i % 3 === 2).map((i) => positions[i]);

describe('a brush over a level', () => {
  const N = 32;
  const middle = (N + 1) * (N / 2) + N / 2;

  it('smooths what is under it and leaves the rest', () => {
    const spiky = plane(N, 1, (x, y) => (x === 0.5 && y === 0.5 ? 0.2 : 0));
    const brush = new LevelBrush(spiky, null);
    const moved = brush.apply(stroke({ points: [middle] }));
    expect(Math.max(...heightsOf(brush.positions))).toBeLessThan(0.05);
    expect(heightsOf(spiky.positions)[middle]).toBeCloseTo(0.2, 6); // the mesh itself is kept
    for (const v of [...Array(spiky.positions.length / 3).keys()])
      if (Math.hypot(spiky.positions[3 * v] - 0.5, spiky.positions[3 * v + 1] - 0.5) >= 0.3) {
        expect(moved).not.toContain(v);
        expect(brush.positions[3 * v + 2]).toBe(0);
      }
  });

  it('pushes along the normals, both ways, most in the middle', () => {
    const brush = new LevelBrush(plane(N), null);
    brush.apply(stroke({ tool: 'push', points: [middle] }));
    expect(heightsOf(brush.positions)[middle]).toBeCloseTo(0.06, 6);
    expect(Math.max(...heightsOf(brush.positions))).toBeCloseTo(0.06, 6);
    brush.apply(stroke({ tool: 'push', strength: -1, points: [middle] }));
    expect(Math.abs(heightsOf(brush.positions)[middle])).toBeLessThan(1e-3);
  });

  it('drags and projects onto the sculpt, which a sphere confirms', async () => {
    const ball = refineLevels(cube(), 5).mesh;
    const sculpt = onSphere(ball, 1);
    const low = onSphere(refineLevels(cube(), 4).mesh, 1.1);
    const target = await transferTarget(low, sculpt, inlineThreads);
    const everywhere = [...Array(low.positions.length / 3).keys()];
    for (const tool of ['drag', 'project'] as const) {
      const brush = new LevelBrush(low, target);
      brush.apply(stroke({ tool, points: everywhere }));
      const radii = everywhere.map((v) => Math.hypot(...brush.positions.subarray(3 * v, 3 * v + 3)));
      expect(Math.max(...radii)).toBeLessThan(1.0005);
      expect(Math.min(...radii)).toBeGreaterThan(0.998);
    }
    const { rms, folded, off } = await compareLevel(low, target, [0, 7], inlineThreads);
    expect([folded, off]).toEqual([[], [0, 7]]);
    expect(rms).toBeCloseTo(0.1, 2);
  });

  it('does not reach through space, takes groups whole but for their border, and says what cannot be', () => {
    // two sheets, one close above the other
    const [sheet, P] = [plane(N), (N + 1) ** 2];
    const two = polyMesh({
      positions: Float32Array.from([...sheet.positions, ...plane(N, 1, 0.01).positions]),
      faceVerts: Uint32Array.from([...sheet.faceVerts, ...sheet.faceVerts.map((v) => v + P)]),
      faceOffsets: Uint32Array.from({ length: 2 * N * N + 1 }, (_, f) => 4 * f),
    });
    expect(Math.max(...new LevelBrush(two, null).apply(stroke({ points: [middle] })))).toBeLessThan(P);
    const of = Uint16Array.from({ length: N * N }, (_, f) => Number(f % N < N / 2));
    const halves = withGroups(plane(N), { names: ['right', 'left'], of });
    const half = new LevelBrush(halves, null);
    half.apply(stroke({ tool: 'push', radius: 1, group: 'left' }));
    const heights = heightsOf(half.positions);
    halves.positions.forEach((x, i) => {
      if (i % 3 === 0) expect(heights[i / 3]).toBeCloseTo(x < 0.5 - 0.5 / N ? 0.2 : 0, 6);
    });
    for (const wrong of [{ radius: 0 }, { strength: 2 }, { strength: -1 }, { tool: 'drag' }, { points: [9e6] }, { group: 'none' }] as const)
      expect(() => half.apply(stroke({ points: [0], ...wrong }))).toThrow(InvalidInputError);
  });
});

describe('levels of a stack', () => {
  it('get one more on top, smooth or from the sculpt, and another base', async () => {
    const low = withGroups({ ...cube() }, { names: ['a', 'b'], of: Uint16Array.of(0, 0, 1, 0, 0, 0) });
    const sculpt = onSphere(refineLevels(cube(), 5).mesh, 1);
    const whole = await transferSculpt(low, sculpt, { levels: 3 });
    const first = await transferSculpt(low, sculpt, { levels: 1 });
    const rest = await transferSculpt(low, sculpt, { levels: 3 }, { there: [first[0].mesh] });
    expect(rest.map(({ mesh }) => mesh.positions)).toEqual(whole.slice(1).map(({ mesh }) => mesh.positions));
    const smooth = addedLevel([low, first[0].mesh]);
    expect(smooth.positions).toEqual(refineLevels(first[0].mesh, 1).mesh.positions);
    const base = raisedBase(low, { ...first[0].mesh, uvs: null, faceUvs: null });
    expect(base.positions).toEqual(first[0].mesh.positions);
    expect([...faceGroups(base).of].filter((g) => g === 1)).toHaveLength(4);
    const top = withGroupsOf(low, known(whole.at(-1)).mesh);
    expect([...faceGroups(top).of].map((g) => faceGroups(top).names[g])).toEqual(
      [...faceGroups(known(whole.at(-1)).mesh).of].map((g) => ['a', 'b'][g]),
    );
    await expect(transferSculpt(low, sculpt, { levels: 1 }, { there: [first[0].mesh] })).rejects.toThrow('already');
    await expect(transferSculpt(low, sculpt, { levels: 3 }, { there: [low] })).rejects.toThrow('Level 1 does not have');
  });
});
