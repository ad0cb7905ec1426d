import { levelDetail, meshWithin, packMesh, refineLevels, renderClay, unpackMesh } from '../src';
import { cube, onSphere, plane } from './shapes';

describe('what a list of assets needs', () => {
  it('draws a lit sphere in the middle of an empty stage', () => {
    const { rgb, width, height } = renderClay(onSphere(refineLevels(cube(), 4).mesh, 3), 60, 40);
    const at = (x: number, y: number): number => rgb[3 * (y * width + x)];
    expect(at(1, 1)).toBe(128);
    expect(at(width - 2, height - 2)).toBe(128);
    expect(at(22, 14)).toBeGreaterThan(at(38, 27) + 40); // light from the upper left
    let covered = 0;
    for (let i = 0; i < rgb.length; i += 3) if (rgb[i] !== 128) covered++;
    expect(covered / (width * height)).toBeCloseTo((Math.PI * (0.44 * 40) ** 2) / (60 * 40), 1);
  });

  it('fits what it draws into the frame with a margin, wherever it stands and however it is stretched', () => {
    const ball = onSphere(refineLevels(cube(), 4).mesh, 3);
    for (const [sx, sy] of [
      [1, 1],
      [4, 1],
      [1, 5],
    ]) {
      // prettier-ignore
      const positions = ball.positions.map((x, i) => (i % 3 === 0 ? sx * x + 70 : i % 3 === 1 ? sy * x - 30 : x + 9));
      const { rgb, width, height } = renderClay({ ...ball, positions }, 80, 60);
      const drawn = Array.from({ length: width * height }, (_, i) => i).filter((i) => rgb[3 * i] !== 128 || rgb[3 * i + 1] !== 126);
      const [xs, ys] = [drawn.map((i) => i % width), drawn.map((i) => Math.floor(i / width))];
      const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
      // centred, and as large as the frame less its margin in one of the two directions
      expect(Math.abs(x0 + x1 - (width - 1))).toBeLessThanOrEqual(2);
      expect(Math.abs(y0 + y1 - (height - 1))).toBeLessThanOrEqual(2);
      expect(Math.max((x1 - x0 + 1) / width, (y1 - y0 + 1) / height)).toBeCloseTo(0.88, 1);
      expect(Math.max((x1 - x0 + 1) / width, (y1 - y0 + 1) / height)).toBeLessThan(0.93);
    }
  });

  it('measures what a level adds: nothing when it is only refined, the step when it is raised', () => {
    const low = plane(3, 3);
    const refined = refineLevels(low, 1).mesh;
    expect(levelDetail(low, refined)).toBe(0);
    const raised = { ...refined, positions: refined.positions.map((x, i) => (i % 3 === 2 ? x + 0.25 : x)) };
    expect(levelDetail(low, raised)).toBeCloseTo(0.25, 9);
  });

  it('packs a mesh for storage and gives back the same', () => {
    const mesh = { ...refineLevels(cube(), 2).mesh, colors: null };
    expect(unpackMesh(packMesh(mesh))).toEqual(mesh);
    const shared = new Uint8Array(new SharedArrayBuffer(packMesh(mesh).length + 8));
    for (const at of [8, 1]) {
      const bytes = shared.subarray(at, at + packMesh(mesh).length);
      bytes.set(packMesh(mesh));
      const within = meshWithin(bytes);
      expect(within).toEqual(mesh);
      expect(within.positions.buffer === shared.buffer).toBe(at === 8); // not from an odd byte on
    }
    expect(() => unpackMesh(packMesh(mesh).subarray(0, 4000))).toThrow(/not complete/);
    expect(() => unpackMesh(new Uint8Array(3))).toThrow(/not a stored mesh/);
  });
});
