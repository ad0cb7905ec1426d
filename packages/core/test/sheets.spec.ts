import type { Field, PolyMesh } from '../src';
import { adviseOnSheets, extractTile, MENDED, prepareSpan } from '../src';
import { piecesOfRows } from '../src/extract/pieces';
import { findPatches, sheetsAmong } from '../src/extract/sheets';
import { ownMemory, rangesOf } from '../src/runtime/threads';
import { plane } from './shapes';

/** Several meshes as one. */
function together(...meshes: PolyMesh[]): PolyMesh {
  const [first, ...rest] = meshes.map((m) => ({ ...m, uvs: null, faceUvs: null }));
  return rest.reduce((a, b) => {
    const points = a.positions.length / 3;
    const corners = a.faceVerts.length;
    return {
      ...a,
      positions: Float32Array.of(...a.positions, ...b.positions),
      faceVerts: Uint32Array.of(...a.faceVerts, ...Array.from(b.faceVerts, (v) => v + points)),
      faceOffsets: Uint32Array.of(...a.faceOffsets, ...Array.from(b.faceOffsets.subarray(1), (o) => o + corners)),
      faceSections: new Uint16Array(a.faceOffsets.length + b.faceOffsets.length - 2),
    };
  }, first);
}
/** A smaller plane, raised, over the middle of the unit square. */
const flap = (height: number, from = 0.4, to = 0.6): PolyMesh => {
  const sheet = plane(4, 1, height);
  return { ...sheet, positions: sheet.positions.map((x, i) => (i % 3 === 2 ? x : from + (to - from) * x)) };
};

describe('sheets of a free sculpt', () => {
  const low = plane(2);
  const measure = async (sculpt: PolyMesh, size = 64) => {
    const span = prepareSpan(low, sculpt, {
      width: size,
      height: size,
      base: 'polygons',
      maps: ['scalar', 'normal'],
      match: 'rays',
      reach: 1,
    });
    return extractTile(span, 1001);
  };
  const heights = ({ fields }: Awaited<ReturnType<typeof measure>>): Field => fields.get('scalar') as Field;

  it('are mended where the sculpt has the layer that joins the surroundings, in all maps of the pass', async () => {
    // the flap hides between base and surface, so the nearest answer jumps onto it
    const answer = await measure(together(plane(16, 1, 0.3), flap(0.1)));
    const field = heights(answer);
    for (const [i, h] of field.values.entries()) if (field.coverage[i] === 1 || field.coverage[i] === MENDED) expect(h).toBeCloseTo(0.3, 6);
    const mended = field.coverage.filter((c) => c === MENDED).length;
    expect(mended).toBeGreaterThan(0.8 * 64 * 64 * 0.04);
    expect(answer.sheets).toEqual({ patches: 1, texels: mended });
    expect(answer.fields.get('normal')?.coverage).toEqual(field.coverage);
  });

  it('are not what is merely steep: a boss has no other answer and stays as it is', async () => {
    const wall = plane(64, 1, (x, y) => (Math.max(Math.abs(x - 0.5), Math.abs(y - 0.5)) < 0.15 ? 0.5 : 0.1));
    const answer = await measure(wall);
    expect(answer.sheets).toEqual({ patches: 0, texels: 0 });
    expect(Math.max(...heights(answer).values)).toBeCloseTo(0.5, 6);
  });

  it('are not looked for in a stack, where the same parameters tell the layers apart', async () => {
    const span = prepareSpan(low, plane(8, 1, 0.3), { width: 32, height: 32 });
    expect((await extractTile(span, 1001)).sheets).toBeNull();
  });

  it('take heights from the rim inwards, the smaller piece from the larger, and only where most of a patch agrees', () => {
    const [W, H] = [8, 8];
    const raster = new Float32Array(W * H).fill(1);
    for (let y = 2; y < 5; y++) for (let x = 2; x < 5; x++) raster[y * W + x] = 9;
    raster[0] = NaN;
    const patchesIn = (heights: Float32Array, bandRows: number) => {
      const texelSizes = new Float32Array(W * H).fill(0.1);
      const bands = rangesOf(heights.length, bandRows * W).map(({ from, to }) =>
        piecesOfRows({ width: W, heights: heights.slice(from, to), texelSizes: texelSizes.slice(from, to) }),
      );
      return findPatches(bands, ownMemory);
    };
    const patchesOf = (heights: Float32Array) => {
      const patches = patchesIn(heights, H);
      const whole = (of: typeof patches) => of && { ...of, offsets: null };
      for (const rows of [1, 3, 4]) {
        const cut = patchesIn(heights, rows);
        expect(whole(cut)).toEqual(whole(patches));
        for (const [b, from] of cut?.offsets.entries() ?? []) if (b > 0) expect(cut?.texels[from - 1] ?? 0).toBeLessThan(b * rows * W);
      }
      return patches;
    };
    const patches = patchesOf(raster);
    if (patches === null) throw new Error('nothing stands off');
    expect(patches.count).toBe(1);
    expect([...patches.wanted].filter((x) => !Number.isNaN(x))).toEqual(new Array(9).fill(1));
    expect([...patches.texels]).toEqual([18, 19, 20, 26, 27, 28, 34, 35, 36]);
    const found = patches.heights.slice();
    found.fill(1.5, 0, 4);
    expect(sheetsAmong(patches, found).sheets).toBe(0); // four of nine
    found[4] = 2;
    const { sheets, takes } = sheetsAmong(patches, found);
    expect([sheets, takes.reduce((n, t) => n + t, 0)]).toEqual([1, 5]);
    // a raster full of patches is the same however it is cut into bands
    expect(patchesOf(raster.map((_, i) => (i * i * 7919) % 11))?.count).toBeGreaterThan(9);
    // nothing stands off within one piece, nor between pieces that do not touch
    expect(patchesOf(new Float32Array(W * H).fill(1))).toBeNull();
    expect(patchesOf(raster.map((h, i) => (i % W === 4 ? NaN : i % W < 4 ? 1 : 9)))).toBeNull();
  });

  it('are said with what to do when they are many', () => {
    expect(adviseOnSheets(0, 0, 100)).toBeNull();
    expect(adviseOnSheets(1, 5, 10_000)).toMatch(
      /^1 patch was answered .* 5 texels \(0\.05 %\) took the layer that joins their neighbours\.$/,
    );
    expect(adviseOnSheets(7, 500, 10_000)).toMatch(/^7 patches were .*\(5 %\).*Transfer it onto the light mesh's own levels/);
  });
});
