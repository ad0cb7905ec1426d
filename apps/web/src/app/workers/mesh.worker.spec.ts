/**
 * @jest-environment node
 */
import type { PolyMesh } from '@estampe/core';
import { packMesh, pointCount, polyMesh, refineLevels } from '@estampe/core';
import type { DrawnMesh, MeshReply, MeshRequest } from './mesh-messages';

/** Two unit quads side by side in one plane; each has an island of its own, the right one in the next tile. */
const pair: PolyMesh = polyMesh({
  positions: Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0, 0, 1, 0, 1, 1, 0, 2, 1, 0),
  faceOffsets: Uint32Array.of(0, 4, 8),
  faceVerts: Uint32Array.of(0, 1, 4, 3, 1, 2, 5, 4),
  uvs: Float32Array.of(0.1, 0.1, 0.4, 0.1, 0.4, 0.4, 0.1, 0.4, 1.5, 0.5, 1.9, 0.5, 1.9, 0.9, 1.5, 0.9),
  faceUvs: Uint32Array.of(0, 1, 2, 3, 4, 5, 6, 7),
});
const errors = Float32Array.of(0, 1, -2, 3, 0.5, 9);
const refined = refineLevels(pair, 2).mesh;

const served = new Map<string, Uint8Array>([
  ['/mesh', packMesh(pair)],
  ['/bare', packMesh({ ...pair, uvs: null, faceUvs: null })],
  ['/refined', packMesh(refined)],
  ['/heights', new Uint8Array(Float32Array.from({ length: pointCount(refined) }, (_, v) => refined.positions[3 * v]).buffer)],
  ['/errors', new Uint8Array(errors.buffer)],
]);
let heard: (event: { data: MeshRequest }) => void = () => undefined;
let answer: (reply: MeshReply) => void = () => undefined;
let transferred: ArrayBuffer[] = [];
const ask = (request: Pick<MeshRequest, 'url' | 'use'> & Partial<MeshRequest>): Promise<DrawnMesh> =>
  new Promise((resolve, reject) => {
    answer = (reply) => ('message' in reply ? reject(new Error(reply.message)) : resolve(reply.mesh));
    heard({ data: { errorsUrl: null, coarser: 0, ...request, id: 1 } });
  });

beforeAll(async () => {
  Object.assign(globalThis, {
    addEventListener: (_type: string, listener: typeof heard) => (heard = listener),
    postMessage: (reply: MeshReply, options?: { transfer: ArrayBuffer[] }) => {
      transferred = options?.transfer ?? [];
      answer(reply);
    },
    fetch: (url: string) => {
      const body = served.get(url);
      return Promise.resolve(body ? new Response(body as Uint8Array<ArrayBuffer>) : new Response('', { status: 500 }));
    },
  });
  await import('./mesh.worker');
});

describe('the worker of the meshes', () => {
  it('makes triangles with normals for the Stage, and hands the large arrays over instead of copying them', async () => {
    const mesh = await ask({ url: '/mesh', use: 'plain' });
    expect(mesh.index).toHaveLength(12);
    expect([...new Set(mesh.index)].sort()).toEqual([0, 1, 2, 3, 4, 5]);
    for (let i = 0; i < 18; i += 3) expect([...mesh.normals.subarray(i, i + 3)]).toEqual([0, 0, 1]);
    expect([mesh.faces, mesh.uvs, mesh.errors, mesh.uvLines.length]).toEqual([null, null, null, 0]);
    expect(transferred).toEqual([mesh.positions.buffer, mesh.normals.buffer, mesh.index.buffer]);
  });

  it('knows of a light mesh which face each triangle is of, and every UV edge of every face', async () => {
    const mesh = await ask({ url: '/mesh', use: 'light' });
    expect([...(mesh.faces ?? [])]).toEqual([0, 0, 1, 1]);
    expect(mesh.uvLines).toHaveLength(2 * 4 * 4);
    expect([...(mesh.uvLinesOfFaces ?? [])]).toEqual([0, 4, 8]);
    const [u0, v0, u1, v1] = mesh.uvLines.subarray(12, 16); // the edge that closes the first face
    expect([u0, v0, u1, v1].map((x) => Math.round(10 * x) / 10)).toEqual([0.1, 0.4, 0.1, 0.1]);
    expect((await ask({ url: '/bare', use: 'light' })).uvLines).toHaveLength(0);
  });

  it('splits a mesh along its seams for laying maps on: points on the seam twice, each with its own tile, shading unbroken', async () => {
    const mesh = await ask({ url: '/mesh', use: 'sheeted' });
    expect(mesh.positions).toHaveLength(3 * 8);
    expect([...(mesh.tiles ?? [])].sort()).toEqual([1001, 1001, 1001, 1001, 1002, 1002, 1002, 1002]);
    const uvs = mesh.uvs ?? new Float32Array(0);
    expect(Math.min(...uvs)).toBeCloseTo(0.1);
    expect(Math.max(...uvs)).toBeCloseTo(0.9); // within its tile, not 1.9
    const onSeam = Array.from({ length: 8 }, (_, i) => i).filter((i) => mesh.positions[3 * i] === 1);
    expect(onSeam).toHaveLength(4);
    for (let i = 0; i < 8; i++) expect(mesh.normals[3 * i + 2]).toBe(1);
  });

  it('takes the errors of a proof along, point by point', async () => {
    const mesh = await ask({ url: '/bare', errorsUrl: '/errors', use: 'plain' });
    expect([...(mesh.errors ?? [])]).toEqual([...errors]);
  });

  it('draws a proof that is too dense at a level below, with the errors of the points that are left', async () => {
    const mesh = await ask({ url: '/refined', errorsUrl: '/heights', use: 'plain', coarser: 1 });
    expect(mesh.index).toHaveLength(3 * 2 * 8);
    expect(mesh.positions).toHaveLength(3 * 15);
    expect([...(mesh.errors ?? [])]).toEqual(Array.from({ length: 15 }, (_, v) => mesh.positions[3 * v]));
  });

  it('says in a sentence what cannot be loaded', async () => {
    await expect(ask({ url: '/gone', use: 'plain' })).rejects.toThrow('The mesh could not be loaded from the server; load the page again.');
    await expect(ask({ url: '/errors', use: 'plain' })).rejects.toThrow();
    expect(await ask({ url: '/bare', use: 'sheeted' })).toMatchObject({ uvs: null, tiles: null });
  });
});
