import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import {
  beginSpan,
  buildRayBvh,
  CancelledError,
  closestDistances,
  extractTile,
  fieldCounts,
  fieldCountsByThreads,
  inlineThreads,
  InvalidInputError,
  LineQuery,
  normalsBeside,
  polyMesh,
  prepareSpan,
  prepareSpanBeside,
  proveDisplacement,
  rayBvhByThreads,
  refineLevels,
  triangleVerts,
  triangulate,
  vertexNormals,
} from '@estampe/core';
import { meshHash, nodeZlib, packOn, readInput, sha256, ThreadPool, writeOutput, zlibBy } from '../src';
import { writeExr } from '../../core/src/formats/exr-write';
import { trianglesOfBand } from '../../core/src/extract/tile-bins';
import { padByThreads, padInPlace } from '../../core/src/raster/padding';

const dir = mkdtempSync(join(tmpdir(), 'estampe-node-'));
afterAll(() => rmSync(dir, { recursive: true, force: true }));

const square = polyMesh({
  positions: Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0),
  faceOffsets: Uint32Array.of(0, 4),
  faceVerts: Uint32Array.of(0, 1, 2, 3),
});

describe('threads', () => {
  const pool = new ThreadPool(pathToFileURL(join(__dirname, '../../../apps/cli/dist/kernel.worker.mjs')), 2);
  afterAll(() => pool.close());
  const { mesh } = refineLevels(square, 4);
  const job = (allocate: (n: number) => ArrayBufferLike) => {
    const points = new Float32Array(allocate(4 * 3 * 5000));
    points.forEach((_, i) => (points[i] = Math.sin(i * 12.9898) * 2));
    return { points, tree: buildRayBvh(mesh.positions, triangleVerts(mesh, triangulate(mesh)), allocate), verts: null, normals: null };
  };
  const tasks = Array.from({ length: 10 }, (_, i) => ({ from: 500 * i, to: 500 * i + 500 }));

  it('give exactly what one thread gives, each task once', async () => {
    const collect = async (threads: typeof inlineThreads): Promise<Float32Array> => {
      const out = new Float32Array(5000).fill(NaN);
      await threads.run(closestDistances, job(threads.allocate), tasks, (result, i) => out.set(result.distances, tasks[i].from));
      return out;
    };
    expect(await collect(pool)).toEqual(await collect(inlineThreads));
  });

  it('make base and tree beside the matching, and measure by them what one thread measures', async () => {
    const low = { ...square, uvs: Float32Array.of(0, 0, 1, 0, 1, 1, 0, 1), faceUvs: square.faceVerts };
    const top = refineLevels(low, 6).mesh;
    const sculpt = { ...top, positions: top.positions.map((x, i) => (i % 3 === 2 ? 0.05 * Math.sin(i) : x)) };
    const last = sculpt.faceVerts.length - 4;
    // faces from the last to the first, each begun at its second corner
    const backwards = { ...sculpt, faceVerts: sculpt.faceVerts.map((_, c) => sculpt.faceVerts[last - (c & ~3) + ((c + 1) & 3)]) };
    const options = { width: 64, height: 64 };
    const searched = ['scalar', 'normal'] as const;
    for (const [mesh, own] of [
      [sculpt, { maps: searched }],
      [backwards, { maps: searched }],
      [sculpt, { maps: searched, match: 'rays' }],
      // nothing is searched; polygons are not what a sculpt is matched with
      [sculpt, { maps: ['vector'] }],
      [backwards, { maps: ['vector'] }],
      [sculpt, { maps: ['vector'], base: 'polygons' }],
      [backwards, { maps: ['vector'], base: 'polygons' }],
      [backwards, { maps: searched, base: 'level:1' }],
    ] as const) {
      // what was begun before the sculpt was there is taken, unless the sculpt is another than its file said
      const faces = sculpt.faceOffsets.length - 1;
      for (const said of mesh === backwards ? [faces, faces / 4] : [faces]) {
        const begun = beginSpan(low, said, { ...options, ...own }, pool);
        expect(begun?.levels).toBe('match' in own ? null : said === faces ? 6 : 5);
        const early = await prepareSpanBeside(low, mesh, { ...options, ...own }, pool, undefined, begun);
        expect(early.base.mesh.positions).toEqual(prepareSpan(low, mesh, { ...options, ...own }).base.mesh.positions);
        expect(early.base.mesh.positions === (await begun?.base)?.mesh.positions).toBe(said === faces || 'match' in own);
      }
      const beside = await prepareSpanBeside(low, mesh, { ...options, ...own }, pool);
      const alone = prepareSpan(low, mesh, { ...options, ...own });
      expect(beside.levels).toBe('match' in own ? null : 6);
      expect(beside.sculpt.tree.wide === null).toBe(own.maps.length === 1);
      expect(beside.sculpt.tree.triangles.buffer).toBeInstanceOf(SharedArrayBuffer);
      expect([...beside.sculpt.tree.triangles]).toEqual([...alone.sculpt.tree.triangles]);
      expect([...beside.sculpt.tree.verts]).toEqual([...alone.sculpt.tree.verts]);
      expect(beside.reach).toBe(alone.reach);
      // whoever was free put some of the triangles in bands
      expect([beside.bins.length, alone.bins.length]).toEqual([4, 1]);
      for (const band of [0, 1]) expect(trianglesOfBand(beside.bins, band)).toEqual(trianglesOfBand(alone.bins, band));
      const [one, other] = [await extractTile(beside, 1001, pool), await extractTile(alone, 1001)];
      expect(one.fields).toEqual(other.fields);
    }
    const stopped = { signal: { aborted: true } };
    await expect(prepareSpanBeside(low, sculpt, options, pool, stopped)).rejects.toThrow(CancelledError);
    // what will be refused says so when the sculpt is there
    expect(beginSpan({ ...low, uvs: null, faceUvs: null }, 4096, options, pool)).toBeNull();
    expect(beginSpan(low, 4096, { ...options, samples: 99 }, pool)).toBeNull();
    expect(beginSpan(low, 4096, options, inlineThreads)).toBeNull();
    // a failure that nobody waits for is none
    await beginSpan(low, 4096, options, pool, stopped)?.base.catch(() => undefined);
  });

  it('prove a map as one thread does, and stop when they are told to', async () => {
    const low = { ...square, uvs: Float32Array.of(0, 0, 1, 0, 1, 1, 0, 1), faceUvs: square.faceVerts };
    const top = refineLevels(low, 6).mesh;
    const sculpt = { ...top, positions: top.positions.map((x, i) => (i % 3 === 2 ? 0.05 * Math.sin(i) : x)) };
    const given = { low, sculpt, maps: new Map([[1001, { width: 1, height: 1, channels: 1, values: Float32Array.of(0.01) }]]) };
    const [proof, same] = [
      await proveDisplacement(given, { subdivisions: 6, tolerance: 0.1 }, pool),
      await proveDisplacement(given, { subdivisions: 6, tolerance: 0.1 }),
    ];
    expect(proof.report.distance.rms).toBeGreaterThan(0.01);
    expect({ ...proof, mesh: null }).toEqual({ ...same, mesh: null });
    const stopped = { signal: { aborted: true } };
    await expect(proveDisplacement(given, { subdivisions: 6 }, pool, stopped)).rejects.toThrow(CancelledError);
  });

  it.each([1, 3] as const)('pad, count and pack a field of %d channels as one thread does', async (channels) => {
    const [width, height] = [300, 200];
    const made = (allocate: (bytes: number) => ArrayBufferLike) => {
      const coverage = new Uint8Array(allocate(width * height)).map((_, i) => ((i * i) % 997 < 40 ? i % 6 : 0));
      const values = new Float32Array(allocate(4 * channels * width * height));
      // half of the rows of noise that cannot be packed
      const noise = new Uint32Array(values.buffer);
      for (let i = 0; i < values.length; i++)
        if (i < values.length / 2) noise[i] = (Math.imul(i, 2654435761) >>> 1) & 0x3fffffff;
        else values[i] = Math.fround(Math.sin(i / 50));
      const seen = new Uint8Array(allocate(width * height));
      seen.set(coverage);
      return { width, height, channels, values, coverage: seen };
    };
    const alone = made((n) => new ArrayBuffer(n));
    const together = made(pool.allocate);
    const runs = jest.spyOn(pool, 'run');
    padInPlace(alone, 9);
    await padByThreads(together, 9, pool);
    const hashes = ({ values, coverage }: typeof alone): string[] =>
      [values, coverage].map((a) => sha256(new Uint8Array(a.slice().buffer)));
    expect(hashes(together)).toEqual(hashes(alone));
    expect(await fieldCountsByThreads(together, pool)).toEqual(fieldCounts(alone));
    const image = ({ values, coverage }: typeof alone) => ({
      width, height, attributes: {},
      channels: [
        ...Array.from({ length: channels }, (_, k) => ({ name: 'zyx'[k], type: 'float' as const, data: values, offset: k, stride: channels })),
        { name: 'coverage', type: 'half' as const, data: coverage, offset: 0, stride: 1 },
      ],
    }); // prettier-ignore
    const told: number[] = [];
    const file = await writeExr(image(together), zlibBy(pool), { onProgress: (f) => told.push(f) });
    expect(Buffer.from(file).equals(Buffer.from(await writeExr(image(alone), nodeZlib)))).toBe(true);
    expect(told.at(-1)).toBe(1);
    expect(runs.mock.calls.map(([{ name }]) => name)).toEqual(['pad-part', 'pad-part', 'count-texels', 'deflated exr-block']);
    runs.mockRestore();
  });

  it('give the tasks of a call that goes first before those of others', async () => {
    const one = new ThreadPool(pathToFileURL(join(__dirname, '../../../apps/cli/dist/kernel.worker.mjs')), 1);
    const order: string[] = [];
    const run = (name: string, goesFirst: boolean) => one.run(closestDistances, job(one.allocate), tasks.slice(0, 2), () => order.push(name), { goesFirst }); // prettier-ignore
    await Promise.all([run('begun', false), run('waits', false), run('first', true)]);
    expect(order).toEqual(['begun', 'first', 'first', 'begun', 'waits', 'waits']);
    await one.close();
  });

  it('start before there is work, and make the normals that one thread makes, in memory that all see', async () => {
    pool.start();
    const wavy = { ...mesh, positions: mesh.positions.map((x, i) => (i % 3 === 2 ? 0.1 * Math.sin(i) : x)) };
    const normals = await normalsBeside(wavy, pool);
    // what comes from a worker is of another realm than the test's
    expect(Object.prototype.toString.call(normals.buffer)).toBe('[object SharedArrayBuffer]');
    expect([...normals]).toEqual([...vertexNormals(wavy)]);
    expect([...(await normalsBeside(wavy, inlineThreads))]).toEqual([...normals]);
    await expect(normalsBeside(wavy, pool, { signal: { aborted: true } })).rejects.toThrow(CancelledError);
  });

  it('build the tree that one thread builds', async () => {
    const grid = refineLevels(square, 7).mesh;
    // a third of the triangles wavy, a third of no size in one place, a third in a line
    const T = 2 * (grid.faceOffsets.length - 1);
    const corners = new Uint32Array(9 * T);
    corners.set(triangleVerts(grid, triangulate(grid)));
    const positions = new Float32Array(grid.positions.length + 9 * T).fill(0.25);
    grid.positions.forEach((x, i) => (positions[i] = i % 3 === 2 ? 0.1 * Math.sin(0.3 * i) : x));
    for (let i = 0; i < 3 * T; i++) {
      corners[3 * T + i] = grid.positions.length / 3;
      corners[6 * T + i] = grid.positions.length / 3 + i;
      positions[grid.positions.length + 3 * i] = 1e-5 * i;
    }
    const runs = jest.spyOn(pool, 'run');
    const [alone, together] = [buildRayBvh(positions, corners), await rayBvhByThreads(positions, corners, pool)];
    expect(runs.mock.calls.map(([kernel]) => kernel.name)).toEqual(['grow-tree', 'gather-leaves']);
    if (!alone.wide || !together.wide) throw new Error('no kernels here');
    expect(Buffer.from(together.triangles.slice().buffer).equals(Buffer.from(alone.triangles.slice().buffer))).toBe(true);
    expect(Buffer.from(together.verts.slice().buffer).equals(Buffer.from(alone.verts.slice().buffer))).toBe(true);
    const [one, other] = [new LineQuery(alone), new LineQuery(together)];
    for (let i = 0; i < 2000; i++) {
      const ray = [Math.sin(i), Math.cos(3 * i), 1, Math.sin(7 * i), Math.sin(11 * i), -1] as const;
      expect(other.nearest(...ray, 0, 0, Infinity, 'any')).toBe(one.nearest(...ray, 0, 0, Infinity, 'any'));
      expect([other.slot, other.t]).toEqual([one.slot, one.t]);
    }
    expect(together.largest).toBe(alone.largest);
  });

  it('keep what a caller shares with them while they work for another', async () => {
    const grid = refineLevels(square, 8).mesh;
    const corners = triangleVerts(grid, triangulate(grid));
    const more = [tasks[0]];
    // now one of them has something to do for it, now both
    const other = pool.run(closestDistances, job(pool.allocate), more, () => {
      if (more.length < 200) more.push(...tasks.slice(0, more.length % 3));
    });
    const [built] = await Promise.all([rayBvhByThreads(grid.positions, corners, pool), other]);
    expect(
      Buffer.from(built.triangles.slice().buffer).equals(Buffer.from(buildRayBvh(grid.positions, corners).triangles.slice().buffer)),
    ).toBe(true);
  });

  it('serve several callers at once, and stop one without the other', async () => {
    const wanted = { aborted: false };
    let [first, second] = [0, 0];
    const stopped = pool.run(closestDistances, job(pool.allocate), tasks, () => (wanted.aborted = ++first === 3), { signal: wanted });
    const more = [...tasks];
    const other = pool.run(closestDistances, job(pool.allocate), more, () => {
      if (++second <= 5) more.push(tasks[0]);
    });
    await expect(stopped).rejects.toThrow(CancelledError);
    await other;
    expect(second).toBe(15);
    expect(first).toBeLessThan(10);
  });

  it('go on with the others when one whose tasks hold all workers is stopped, or cannot be sent at all', async () => {
    const wanted = { aborted: false };
    await expect(pool.run({ name: 'closest-distances', run: () => 0 }, { bad: () => 0 }, [1], () => undefined)).rejects.toThrow(
      /could not be cloned/,
    );
    const points = new Float32Array(pool.allocate(12 * 4_000_000)).fill(0.3);
    const long = { ...job(pool.allocate), points };
    const stopped = pool.run(closestDistances, long, [{ from: 0, to: 4_000_000 }, { from: 0, to: 4_000_000 }], () => undefined, { signal: wanted }); // prettier-ignore
    let done = 0;
    const other = pool.run(closestDistances, job(pool.allocate), tasks, () => done++);
    wanted.aborted = true;
    await expect(stopped).rejects.toThrow(CancelledError);
    await other;
    expect(done).toBe(10);
  });

  it('hand errors back as what they were, stop when asked, and work again afterwards', async () => {
    const broken = { name: 'no-such-kernel', run: () => 0 };
    await expect(pool.run(broken, {}, [1], () => undefined)).rejects.toThrow(/no kernel is called/);
    await expect(pool.run(closestDistances, job(pool.allocate), tasks, () => undefined, { signal: { aborted: true } })).rejects.toThrow(
      CancelledError,
    );
    let done = 0;
    const fractions: number[] = [];
    await pool.run(closestDistances, job(pool.allocate), tasks, () => done++, { onProgress: (f) => fractions.push(f) });
    expect(done).toBe(10);
    expect(fractions).toEqual([...fractions].sort((a, b) => a - b));
    expect(fractions.at(-1)).toBe(1);
  });
});

describe('files', () => {
  it('appear under their name complete or not at all', async () => {
    await writeOutput(join(dir, 'a.bin'), Uint8Array.of(1, 2, 3));
    expect([...readFileSync(join(dir, 'a.bin'))]).toEqual([1, 2, 3]);
    await expect(writeOutput(join(dir, 'gone', 'b.bin'), new Uint8Array(1))).rejects.toThrow(InvalidInputError);
    expect(readdirSync(dir)).toEqual(['a.bin']);
  });
  it('that cannot be read say so by name', async () => {
    writeFileSync(join(dir, 'empty'), '');
    await expect(readInput(join(dir, 'empty'))).rejects.toMatchObject({ code: 'EMPTY_FILE' });
    await expect(readInput(join(dir, 'nothing'))).rejects.toMatchObject({
      code: 'NOT_FOUND',
      message: expect.stringContaining('nothing') as string,
    });
    await expect(readInput(dir)).rejects.toMatchObject({ code: 'NOT_FOUND' });
  });
});

describe('deflate and hashes', () => {
  it('round-trip, and refuse data that is damaged or larger than it says', async () => {
    const data = Uint8Array.from({ length: 5000 }, (_, i) => (i * i) % 251);
    const packed = await nodeZlib.deflate(data);
    expect(Uint8Array.from(await nodeZlib.inflate(packed, 5000))).toEqual(data);
    await expect(nodeZlib.inflate(packed, 100)).rejects.toMatchObject({ code: 'TRUNCATED' });
    await expect(nodeZlib.inflate(Uint8Array.of(9, 9, 9, 9), 100)).rejects.toMatchObject({ code: 'TRUNCATED' });
  });
  it('take no more threads than are allowed', async () => {
    const noise = new Uint8Array(1 << 24).map((_, i) => Math.imul(i, 2654435761) >>> 13);
    const order = async (threads: number): Promise<string[]> => {
      packOn(threads);
      const done: string[] = [];
      await Promise.all([noise, noise.subarray(0, 100)].map(async (data) => done.push(`${(await nodeZlib.deflate(data), data.length)}`)));
      return done;
    };
    const [large, small] = [String(noise.length), '100'];
    expect(await order(1)).toEqual([large, small]); // one after the other
    expect(await order(2)).toEqual([small, large]);
  });

  it('depend on points, polygons and UVs, not on names', () => {
    const renamed = { ...square, sections: [{ object: 'other', group: '', material: '', smoothing: '' }] };
    expect(meshHash(renamed)).toBe(meshHash(square));
    expect(meshHash({ ...square, faceVerts: Uint32Array.of(1, 2, 3, 0) })).not.toBe(meshHash(square));
    expect(meshHash({ ...square, positions: square.positions.map((x) => x + 1e-7) })).not.toBe(meshHash(square));
    expect(sha256(new Uint8Array(0))).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855');
  });
});
