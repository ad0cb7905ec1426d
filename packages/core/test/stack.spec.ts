import { assembleStack, levelsBetween, refineLevels } from '../src';
import { cube, onSphere, plane } from './shapes';

describe('assembling a stack', () => {
  const low = cube();
  const at = (level: number, radius = 1) => ({ name: `level-${level}.obj`, mesh: onSphere(refineLevels(low, level).mesh, radius) });

  it('finds rungs by connectivity in any order and fills the missing ones from above', () => {
    const stack = assembleStack(low, [at(3, 2), at(1)]);
    expect(stack?.map((mesh) => levelsBetween(low, mesh))).toEqual([0, 1, 2, 3]);
    expect(stack?.[0]).toBe(low);
    const points = stack?.[2].positions ?? new Float32Array(0);
    expect(points).toEqual(stack?.[3].positions.subarray(0, points.length));
  });

  it('takes one other mesh as a free sculpt, and refuses a stranger or a second of one level among several', () => {
    const stranger = { name: 'other.obj', mesh: plane(7) };
    expect(assembleStack(low, [stranger])).toBeNull();
    expect(() => assembleStack(low, [at(1), stranger])).toThrow(/^other\.obj is not a level/);
    expect(() => assembleStack(low, [at(1), { ...at(1), name: 'again.obj' }])).toThrow(/^again\.obj/);
  });
});
