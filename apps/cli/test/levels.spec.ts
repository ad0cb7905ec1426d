import { existsSync, mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { planeObj, workplace } from './harness';

const { dir, put, estampe } = workplace();

describe('levels', () => {
  beforeAll(() => {
    put('low.obj', planeObj(2, 0));
    put('sculpt.obj', planeObj(16, 0.25));
  });

  it('go from a free sculpt to a stack, and back to its base', () => {
    const transfer = estampe('transfer', 'low.obj', 'sculpt.obj', '-o', 'stack', '--format', 'ply');
    expect(transfer.status).toBe(0);
    const levels = transfer.json['levels'] as Record<string, number>[];
    expect(levels.map(({ level, faces, projectedShare, folds }) => [level, faces, projectedShare, folds])).toEqual([[1, 16, 1, 0], [2, 64, 1, 0], [3, 256, 1, 0]]); // prettier-ignore
    for (const { rms, seconds } of levels) {
      expect(rms).toBeLessThan(1e-6);
      expect(seconds).toBeGreaterThan(0);
    }
    const recovered = estampe('recover', 'stack/level-3.ply', '-o', 'again');
    expect(recovered.json['levels']).toMatchObject([4, 3, 2, 1, 0].map((k, level) => ({ level, faces: 256 / 4 ** k })));
    expect(recovered.json['stopped']).toMatch(/no refinement/);
    const settled = estampe('settle', 'low.obj', 'stack/level-3.ply', '-o', 'settled.obj');
    expect(settled.json['before']).toMatchObject({ rms: 0.25 });
    expect((settled.json['after'] as { rms: number }).rms).toBeLessThan(1e-5);
  });

  it('refuse an input as output, what is no folder, and a mesh that gives nothing', () => {
    mkdirSync(join(dir, 'own'));
    put('own/level-0.obj', planeObj(2, 0));
    const refused = (...words: string[]): string => {
      const { status, stderr } = estampe(...words);
      expect(status).not.toBe(0);
      return stderr;
    };
    expect(refused('transfer', 'own/level-0.obj', 'sculpt.obj', '-o', 'own')).toMatch(/level-0\.obj/);
    expect(refused('recover', 'sculpt.obj', '-o', 'low.obj')).toMatch(/low\.obj cannot be made a folder/);
    expect(refused('transfer', 'sculpt.obj', 'low.obj', '-o', 'none')).toMatch(/no detail to take/);
    expect(refused('settle', 'low.obj', 'low.obj', '-o', 'none.obj')).toMatch(/no level of the base/);
    expect(existsSync(join(dir, 'none.obj'))).toBe(false);
  });
});
