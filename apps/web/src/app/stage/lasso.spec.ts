import { facesInLasso } from './lasso';

/** A picture of 8 x 6 pixels: face 0 left, face 4 right, nothing in the last column. */
const [W, H] = [8, 6];
const ids = Uint32Array.from({ length: W * H }, (_, i) => (i % W < 3 ? 1 : i % W < 7 ? 5 : 0));
const box = (x0: number, y0: number, x1: number, y1: number) => [{ x: x0, y: y0 }, { x: x1, y: y0 }, { x: x1, y: y1 }, { x: x0, y: y1 }]; // prettier-ignore

describe('a lasso', () => {
  it('takes faces of which it holds half of what is seen, and nothing where there is none', () => {
    expect(facesInLasso(ids, W, H, box(0, 0, 3, 3))).toEqual([0]);
    expect(facesInLasso(ids, W, H, box(0, 0, 3, 2))).toEqual([]);
    expect(facesInLasso(ids, W, H, box(1, 0, 8, 6)).sort()).toEqual([0, 4]);
    expect(facesInLasso(ids, W, H, box(7, 0, 8, 6))).toEqual([]);
  });

  it('may cross itself, go round either way, and leave the picture', () => {
    expect(facesInLasso(ids, W, H, box(-50, -50, 500, 500).reverse()).sort()).toEqual([0, 4]);
    // what lies in both loops of a doubled line is outside
    const twice = [...box(0, 0, 8, 6), ...box(0, 0, 8, 6)];
    expect(facesInLasso(ids, W, H, twice)).toEqual([]);
    expect(facesInLasso(ids, W, H, [])).toEqual([]);
  });
});
