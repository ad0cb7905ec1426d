import type { Field } from '@estampe/core';
import { adviseOnProof, checkMesh, extractTile, faceCount, stackLevel, prepareSpan, proveDisplacement } from '@estampe/core';
import { mooringBuoy, mooringBuoyBase } from '../src';

describe('Mooring buoy', () => {
  const levels = mooringBuoy(2);

  it('has a clean light mesh: 1536 quads, closed, in one piece, six islands in one tile without overlap', () => {
    expect(checkMesh(mooringBuoyBase())).toMatchObject({ faces: 1536, points: 1538, tiles: [1001], findings: [] });
  });

  it('is a stack that comes out the same every time, with barnacles at the same places on every level', () => {
    expect(levels.map(faceCount)).toEqual([1536, 6144, 24576]);
    expect(stackLevel(levels[0], levels[2])?.levels).toBe(2);
    expect(mooringBuoy(2)[2].positions).toEqual(levels[2].positions);
    const finer = mooringBuoy(3)[1].positions;
    levels[1].positions.forEach((x, i) => expect(x).toBeCloseTo(finer[i], 3));
  });

  it('cannot be made by heights: its proof fails and says that vector displacement is needed', async () => {
    const [low, sculpt] = [levels[0], levels[2]];
    const span = prepareSpan(low, sculpt, { width: 256, height: 256, base: 'level:2' });
    const maps = new Map([[1001, (await extractTile(span, 1001)).fields.get('scalar') as Field]]);
    const { report } = await proveDisplacement({ low, sculpt, maps, fields: maps }, { subdivisions: 2, base: 'level:2', tolerance: 1 });
    expect(report.passed).toBe(false);
    expect(report.reachedShare).toBeLessThan(0.9);
    expect(adviseOnProof(report, 'mm')[0].message).toMatch(/not reached.*vector displacement/);
  });
});
