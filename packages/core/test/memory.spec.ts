import {
  estimateMesh,
  measuringBytes,
  provingBytes,
  readingBytes,
  recoveringBytes,
  refiningBytes,
  settlingBytes,
  spanWork,
  transferringBytes,
} from '../src';
import { plane } from './shapes';

const MATCHED = { isMatched: true, isSearched: false, mendsSheets: false };
const SEARCHED = { isMatched: false, isSearched: true, mendsSheets: true };
const BOTH = { isMatched: true, isSearched: true, mendsSheets: false };

describe('memory that measuring takes', () => {
  it('depends on what is done: vectors of a stack search nothing, rays match nothing, heights of a stack do both', () => {
    expect(spanWork({ maps: ['vector'], normalsForHeights: false }, 5)).toEqual(MATCHED);
    expect(spanWork({ maps: ['scalar'] }, 5)).toEqual(BOTH);
    expect(spanWork({ maps: ['scalar'], match: 'rays' }, 5)).toEqual(SEARCHED);
    expect(spanWork({ maps: ['vector'] }, null)).toEqual(SEARCHED);
    expect(spanWork({ maps: ['scalar'], fitTexels: true }, null)).toEqual({ ...SEARCHED, mendsSheets: false });
    expect(spanWork({ maps: ['normal'], match: 'closest' }, null)).toEqual({ ...SEARCHED, mendsSheets: false });
    expect(spanWork({ maps: ['vector', 'occlusion'], normalsForHeights: false }, 5)).toEqual(BOTH);
  });

  // peaks of the command line, with files of somebody else's order; K texels a side
  it.each([
    ['vectors of a stack', MATCHED, 1.573e6, 2, 26, 1, 0.73e9],
    ['vectors of a stack', MATCHED, 1.573e6, 2, 26, 2, 0.955e9],
    ['vectors of a stack', MATCHED, 1.573e6, 2, 26, 8, 1.16e9],
    ['vectors of a stack', MATCHED, 1.573e6, 8, 26, 1, 2.79e9],
    ['vectors of a stack', MATCHED, 1.573e6, 8, 26, 2, 2.72e9],
    ['vectors of a stack', MATCHED, 6.291e6, 2, 26, 1, 2.42e9],
    ['vectors of a stack', MATCHED, 6.291e6, 2, 26, 2, 3.02e9],
    ['vectors of a stack', MATCHED, 16.777e6, 2, 26, 1, 6e9],
    ['vectors of a stack', MATCHED, 16.777e6, 2, 26, 2, 7.78e9],
    ['heights of a stack', BOTH, 1.573e6, 2, 10, 1, 0.83e9],
    ['heights of a stack', BOTH, 1.573e6, 2, 10, 2, 1.08e9],
    ['heights of a stack', BOTH, 1.573e6, 8, 10, 1, 1.44e9],
    ['heights of a stack', BOTH, 1.573e6, 8, 10, 2, 1.39e9],
    ['heights of a stack', BOTH, 6.291e6, 2, 10, 1, 2.74e9],
    ['heights of a stack', BOTH, 6.291e6, 2, 10, 2, 3.36e9],
    ['heights of a stack', BOTH, 16.777e6, 2, 10, 1, 6.35e9],
    ['heights of a stack', BOTH, 16.777e6, 2, 10, 2, 8.64e9],
    ['heights by rays', SEARCHED, 1.573e6, 2, 10, 1, 0.755e9],
    ['heights by rays', SEARCHED, 1.573e6, 2, 10, 2, 0.845e9],
    ['heights by rays', SEARCHED, 1.573e6, 2, 10, 8, 0.96e9],
    ['heights by rays', SEARCHED, 1.573e6, 8, 10, 1, 1.74e9],
    ['heights by rays', SEARCHED, 1.573e6, 8, 10, 2, 1.87e9],
    ['heights by rays', SEARCHED, 6.291e6, 2, 10, 1, 1.56e9],
    ['heights by rays', SEARCHED, 6.291e6, 2, 10, 2, 1.86e9],
    ['heights by rays', SEARCHED, 16.777e6, 2, 10, 1, 3.3e9],
    ['heights by rays', SEARCHED, 16.777e6, 2, 10, 2, 3.68e9],
    ['heights of triangles', SEARCHED, 0.787e6, 2, 10, 1, 0.53e9],
    ['heights of triangles', SEARCHED, 0.787e6, 2, 10, 2, 0.65e9],
    ['heights of triangles', SEARCHED, 5.004e6, 2, 10, 1, 1.36e9],
    ['heights of triangles', SEARCHED, 5.004e6, 2, 10, 2, 1.44e9],
    ['vectors of triangles', SEARCHED, 0.787e6, 2, 26, 1, 0.69e9],
    ['vectors of triangles', SEARCHED, 0.787e6, 2, 26, 2, 0.85e9],
    ['vectors of triangles', SEARCHED, 5.004e6, 2, 26, 1, 1.46e9],
    ['vectors of triangles', SEARCHED, 5.004e6, 2, 26, 2, 1.6e9],
  ] as const)('%s: %#, within a quarter of what was measured', (_, work, points, k, texelBytes, threads, taken) => {
    const told = measuringBytes(work, points, (1024 * k) ** 2, texelBytes, threads);
    expect(told / taken).toBeGreaterThan(0.8);
    expect(told / taken).toBeLessThan(1.25);
  });

  it('is told for what is done to meshes, also within a quarter', () => {
    // a plane of as many faces as the mesh that was measured, after five levels and six
    const low = { ...plane(1), faceVerts: new Uint32Array(6144), faceOffsets: Uint32Array.from({ length: 1537 }, (_, f) => 4 * f) };
    const told: [number, number][] = [
      [refiningBytes(low, 5, 'numbers', false), 0.465e9],
      [refiningBytes(low, 6, 'numbers', false), 1.55e9],
      [refiningBytes(low, 6, 'numbers', true), 2.02e9],
      [refiningBytes(low, 5, 'numbers', false), 0.58e9],
      [refiningBytes(low, 5, 'text', false), 0.7e9],
      [refiningBytes(low, 5, 'text', false), 0.77e9],
      [refiningBytes(low, 6, 'text', false), 2.78e9],
      // without the fields that the maps were made from, and with them
      [provingBytes(1.573e6, 1.573e6, 2048 ** 2, 1, 1), 1.04e9],
      [provingBytes(1.573e6, 1.573e6, 2048 ** 2, 1, 1), 1.19e9],
      [provingBytes(1.573e6, 1.573e6, 2048 ** 2, 1, 2), 1.02e9],
      [provingBytes(1.573e6, 1.573e6, 2048 ** 2, 1, 2), 1.21e9],
      [provingBytes(6.291e6, 6.291e6, 2048 ** 2, 1, 2), 3.65e9],
      [provingBytes(6.291e6, 6.291e6, 2048 ** 2, 1, 2), 4.2e9],
      [recoveringBytes(1.573e6), 1.2e9],
      [recoveringBytes(6.291e6), 4.33e9],
      [settlingBytes(1.573e6), 1.55e9],
      [settlingBytes(6.291e6), 5.91e9],
      [transferringBytes(24576, 24578), 0.177e9],
      [transferringBytes(98304, 98306), 0.295e9],
      [transferringBytes(393216, 393218), 0.69e9],
      [transferringBytes(1.049e6, 0.787e6), 1.34e9],
      [transferringBytes(1.573e6, 1.573e6), 2.18e9],
      [transferringBytes(1.049e6, 5.004e6), 3.99e9],
      [transferringBytes(4.194e6, 5.004e6), 4.8e9],
    ];
    for (const [bytes, taken] of told) expect(Math.abs(bytes / taken - 1)).toBeLessThan(0.2);
  });

  it('of files that are brought in goes by what their heads say, and by whether they may be a stack', () => {
    const ply = (points: number, faces: number): Buffer =>
      Buffer.from(`ply\nformat binary_little_endian 1.0\nelement vertex ${points}\nproperty float x\nproperty float y\nproperty float z\nelement face ${faces}\nproperty list uchar int vertex_indices\nend_header\n`); // prettier-ignore
    const low = estimateMesh(ply(1538, 1536), 1e5);
    const told: [number, number][] = [
      [readingBytes([low, estimateMesh(ply(1572866, 1572864), 52e6)]), 0.54e9],
      [readingBytes([low, estimateMesh(ply(6291458, 6291456), 207e6)]), 1.5e9],
      [readingBytes([estimateMesh(ply(500, 1e5), 4e6), estimateMesh(ply(1572866, 3 * 4 ** 2 * 1e5), 52e6)]), 0.54e9],
      [readingBytes([low, estimateMesh(Buffer.from('v 1 2 3\n'), 99e6)]), 0.66e9],
      [readingBytes([low, estimateMesh(ply(5004169, 10008338), 230e6)]), 0.86e9],
      [readingBytes([low, estimateMesh(ply(786769, 1573538), 36e6)]), 0.4e9],
    ];
    for (const [bytes, taken] of told) expect(Math.abs(bytes / taken - 1)).toBeLessThan(0.2);
    // what cannot be read, or cannot be, is left for reading to say
    for (const head of [Buffer.from('ply\nformat of nobody\n'), ply(9e14, 9e14)])
      expect(estimateMesh(head, 33e6)).toEqual({ points: 1e6, faces: null, besides: 0 });
  });
});
