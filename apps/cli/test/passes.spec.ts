import { mapRecipeSchema } from '@estampe/contracts';
import { passes } from '../src/passes';

const groups = (...maps: object[]): string[][] => passes(maps.map((m) => mapRecipeSchema.parse(m))).map((g) => g.map((m) => m.kind));

describe('maps of a recipe share a pass', () => {
  it('where nothing that one of them needs is against the other: heights and normals, whatever radius', () => {
    expect(groups({ kind: 'scalar' }, { kind: 'normal' }, { kind: 'vector' })).toEqual([['scalar', 'normal', 'vector']]);
    expect(groups({ kind: 'scalar' }, { kind: 'curvature', radius: 3 }, { kind: 'occlusion' })).toEqual([
      ['scalar', 'curvature', 'occlusion'],
    ]);
    expect(groups({ kind: 'normal', forHeights: true }, { kind: 'scalar' })).toEqual([['normal', 'scalar']]);
  });

  it('and not where they are read at other places, over other radii, or with other texels', () => {
    expect(groups({ kind: 'scalar' }, { kind: 'normal', forHeights: false })).toEqual([['scalar'], ['normal']]);
    expect(groups({ kind: 'curvature', radius: 3 }, { kind: 'hollows', radius: 4 })).toEqual([['curvature'], ['hollows']]);
    expect(groups({ kind: 'scalar' }, { kind: 'scalar' })).toEqual([['scalar'], ['scalar']]);
    expect(groups({ kind: 'scalar', size: 64 }, { kind: 'normal', size: 128 })).toEqual([['scalar'], ['normal']]);
    expect(groups({ kind: 'scalar', matchSeams: false }, { kind: 'normal' })).toEqual([['scalar'], ['normal']]);
    expect(groups({ kind: 'normal', forHeights: true }, { kind: 'colour', forHeights: false })).toEqual([['normal'], ['colour']]);
  });
});
