/**
 * @jest-environment node
 */
import { Injector } from '@angular/core';
import { packMesh, polyMesh, refineLevels } from '@estampe/core';
import { LevelBrushing } from '../shared/level-brushing';
import { BRUSH_WORKER } from './worker-tokens';

/** A square sheet, and a level of it with a thorn in its middle. */
const base = polyMesh({ positions: Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0), faceOffsets: Uint32Array.of(0, 4), faceVerts: Uint32Array.of(0, 1, 2, 3) }); // prettier-ignore
const flat = refineLevels(base, 4).mesh;
const p = flat.positions;
const middle = [...Array(p.length / 3).keys()].reduce((best, v) => (off(v) < off(best) ? v : best));
function off(v: number): number {
  return Math.hypot(p[3 * v] - 0.5, p[3 * v + 1] - 0.5);
}
const thorny = { ...flat, positions: p.map((x, i) => (i === 3 * middle + 2 ? 0.3 : x)) };
const served = new Map([
  ['/api/meshes/low/data', packMesh(base)],
  ['/api/meshes/top/data', packMesh(thorny)],
  ['/api/blobs/sculpt', packMesh(refineLevels(base, 3).mesh)],
]);

/** The worker in this thread, as the page has it. */
async function inThread(): Promise<() => Worker> {
  let heard: (event: { data: unknown }) => void = () => undefined;
  const worker = {
    onmessage: (_: { data: unknown }) => undefined,
    postMessage: (data: unknown) => {
      heard({ data });
    },
  };
  Object.assign(globalThis, {
    addEventListener: (_type: string, listener: typeof heard) => (heard = listener),
    postMessage: (data: unknown) => worker.onmessage({ data }),
    fetch: (url: string) => {
      const body = served.get(url);
      return Promise.resolve(body ? new Response(body as Uint8Array<ArrayBuffer>) : new Response('', { status: 404 }));
    },
  });
  await import('./brush.worker');
  return () => worker as unknown as Worker;
}

const level = (n: number, meshId: string) => ({ level: n, meshId, points: 0, faces: 0, detail: null, colours: null });
const until = async (done: () => boolean): Promise<void> => {
  for (let k = 0; k < 400 && !done(); k++) await new Promise((resolve) => setTimeout(resolve, 5));
  expect(done()).toBe(true);
};

describe('the brush of the page and its worker', () => {
  it('smooths and drags as strokes go over points, takes strokes back one by one, and keeps what was done for the server', async () => {
    const spawn = await inThread();
    const brushing = Injector.create({ providers: [{ provide: BRUSH_WORKER, useValue: spawn }, LevelBrushing] }).get(LevelBrushing);
    await brushing.open({ levelList: [level(0, 'low'), level(4, 'top')], sculptHash: 'sculpt', part: { id: 'p', name: '' } }, null);
    const mesh = brushing.level()?.mesh;
    if (mesh === undefined) throw new Error(String(brushing.message()));
    const height = (): number => mesh.positions[3 * middle + 2];
    const upright = (): number => mesh.normals[3 * middle + 2];
    expect(height()).toBeCloseTo(0.3, 6);
    const rest = (): boolean => !brushing.busy();
    brushing.settings.set({ tool: 'smooth', radius: 0.3, strength: 1, inwards: false });
    brushing.over(middle, false);
    brushing.over(middle, true); // the same place again is no more
    brushing.over(0, true);
    brushing.over(middle, true);
    await until(() => rest() && height() < 0.1);
    expect(brushing.strokes()).toEqual([{ tool: 'smooth', radius: 0.3, strength: 1, points: [middle, 0, middle], group: null }]);
    const smoothed = height();
    brushing.settings.update((s) => ({ ...s, tool: 'drag' }));
    brushing.over(middle, false);
    await until(() => rest() && Math.abs(height()) < 1e-6);
    expect(upright()).toBeCloseTo(1, 4);
    brushing.undo();
    await until(() => rest() && height() === smoothed);
    brushing.undo();
    await until(() => rest() && Math.abs(height() - 0.3) < 1e-6);
    expect(brushing.strokes()).toEqual([]);
    brushing.settings.update((s) => ({ ...s, tool: 'push', inwards: true }));
    brushing.over(middle, false);
    await until(() => rest() && height() < 0.28);
    expect(brushing.strokes()[0].strength).toBe(-1);
    brushing.overGroup('nobody');
    await until(() => brushing.message() !== null);
    expect(brushing.message()).toContain('no group nobody');
    await brushing.open({ levelList: [level(0, 'low'), level(4, 'gone')], sculptHash: null, part: { id: 'p', name: '' } }, null);
    expect([brushing.level(), brushing.message()]).toEqual([null, expect.stringMatching(/could not be loaded/)]);
  });
});
