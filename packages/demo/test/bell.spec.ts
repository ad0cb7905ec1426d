import { checkMesh, faceCount, levelDetail, stackLevel, limitPoints, refineLevels } from '@estampe/core';
import { harbourBell, harbourBellBase, hash3, pits, ridge, valueNoise } from '../src';

describe('Harbour bell', () => {
  const levels = harbourBell(3);

  it('has a clean light mesh: 1280 quads, closed, in one piece, islands in one tile without overlap', () => {
    const check = checkMesh(harbourBellBase());
    expect(check).toMatchObject({ faces: 1280, tiles: [1001], findings: [] });
    expect(check.diagonal).toBeGreaterThan(1000); // millimetres
  });

  it('is a stack: each level four times the one below, in the stated order', () => {
    expect(levels.map(faceCount)).toEqual([1280, 5120, 20480, 81920]);
    levels.slice(1).forEach((mesh, k) => expect(stackLevel(levels[0], mesh)?.levels).toBe(k + 1));
    // rungs between are the top's points at their places
    expect(levels[1].positions).toEqual(levels[3].positions.subarray(0, levels[1].positions.length));
  });

  it('carries detail on every rung, a good part of it at the top', () => {
    const adds = levels.slice(1).map((mesh, k) => levelDetail(levels[k], mesh));
    const smooth = limitPoints(refineLevels(levels[0], 3)).positions;
    let sum = 0;
    levels[3].positions.forEach((x, i) => (sum += (x - smooth[i]) ** 2));
    const undisplaced = Math.sqrt((3 * sum) / levels[3].positions.length);
    for (const detail of adds) expect(detail).toBeGreaterThan(0.1 * undisplaced);
  });

  it('comes out the same every time, and stays a relief: nowhere deeper than the chip', () => {
    expect(harbourBell(2)[2].positions).toEqual(harbourBell(2)[2].positions);
    const smooth = limitPoints(refineLevels(levels[0], 3)).positions;
    let worst = 0;
    for (let i = 0; i < smooth.length; i += 3)
      worst = Math.max(
        worst,
        Math.hypot(
          levels[3].positions[i] - smooth[i],
          levels[3].positions[i + 1] - smooth[i + 1],
          levels[3].positions[i + 2] - smooth[i + 2],
        ),
      );
    expect(worst).toBeGreaterThan(5);
    expect(worst).toBeLessThan(12);
  });
});

describe('noise', () => {
  const places = Array.from({ length: 500 }, (_, i) => [0.37 * i, 0.11 * i - 20, 3 - 0.23 * i] as const);
  it('stays in its range and is continuous', () => {
    for (const [x, y, z] of places) {
      expect(Math.abs(valueNoise(x, y, z, 1))).toBeLessThanOrEqual(1);
      expect(Math.abs(valueNoise(x + 1e-4, y, z, 1) - valueNoise(x, y, z, 1))).toBeLessThan(1e-3);
      const depth = pits(x, y, z, 2, 0.5);
      expect(depth).toBeGreaterThanOrEqual(0);
      expect(depth).toBeLessThanOrEqual(1);
      expect(Math.abs(pits(x + 1e-4, y, z, 2, 0.5) - depth)).toBeLessThan(2e-3);
    }
  });
  it('differs between seeds and is even over a lattice', () => {
    const values = Array.from({ length: 4000 }, (_, i) => hash3(i, 7 * i, -i, 3));
    expect(values.reduce((a, b) => a + b) / values.length).toBeCloseTo(0.5, 1);
    expect(hash3(1, 2, 3, 4)).not.toBe(hash3(1, 2, 3, 5));
    expect([ridge(0, 0, 1), ridge(1, 0, 1), ridge(-2, 0, 1)]).toEqual([1, 0, 0]);
  });
});
