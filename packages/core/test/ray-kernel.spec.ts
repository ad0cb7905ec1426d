import { BlockQuery, buildRayBvh, LineQuery, refineLevels, triangleVerts, triangulate } from '../src';
import { buildBvh } from '../src/spatial/bvh';
import type { PolyMesh } from '../src';
import { ClosestQuery } from '../src/spatial/closest';
import { LineBatch } from '../src/spatial/line-batch';
import { MOST_LINES } from '../src/spatial/wide-tree';
import { cube, onSphere, plane, random } from './shapes';

const treesOf = (mesh: PolyMesh) => {
  const corners = triangleVerts(mesh, triangulate(mesh));
  return { wide: buildRayBvh(mesh.positions, corners), binary: buildBvh(mesh.positions, corners) };
};
/** Triangles that cross and overlap each other, moved and sized. */
function soup(n: number, seed: number, size: number, away: number): PolyMesh {
  const next = random(seed);
  const positions = Float32Array.from({ length: 9 * n }, () => away + size * next());
  const sheet = plane(1);
  return {
    ...sheet, uvs: null, faceUvs: null, positions, faceOffsets: Uint32Array.from({ length: n + 1 }, (_, i) => 3 * i),
    faceVerts: Uint32Array.from({ length: 3 * n }, (_, i) => i), faceSections: new Uint16Array(n),
  }; // prettier-ignore
}

describe('the ray kernel', () => {
  const sphere = onSphere(refineLevels(cube(), 4).mesh, 3);
  const shapes: [string, PolyMesh, number, number][] = [
    ['a sphere', sphere, 3, 0],
    ['crossing triangles', soup(300, 5, 1, 0), 0.5, 0.5],
    ['crossing triangles, tiny and far from the origin', soup(300, 6, 1e-2, 40), 5e-3, 40],
    ['crossing triangles, huge', soup(300, 7, 1e6, -5e5), 5e5, 0],
    ['one triangle', soup(1, 8, 1, 0), 0.5, 0.5],
    ['a plane, seen along its own axes', plane(8, 1), 0.5, 0.5],
  ];

  it.each(shapes)('gives exactly what the plain code gives: %s', (_, mesh, size, middle) => {
    const { wide, binary } = treesOf(mesh);
    expect(wide.wide).not.toBeNull();
    expect(wide.verts).toEqual(binary.verts);
    const [kernel, plain] = [new LineQuery(wide), new LineQuery(binary)];
    const [kernelBlock, plainBlock] = [new BlockQuery(wide), new BlockQuery(binary)];
    const next = random(9);
    const somewhere = (): number => middle + 1.4 * size * (2 * next() - 1);
    const p = mesh.positions;
    let found = 0;
    let different = 0;
    for (let i = 0; i < 4000; i++) {
      // towards anything, from inside and outside; through corners; along axes
      const o: [number, number, number] = [somewhere(), somewhere(), somewhere()];
      const v = 3 * Math.floor((next() * p.length) / 3);
      const anything: [number, number, number] = [next() - 0.5, next() - 0.5, next() - 0.5];
      const d: [number, number, number] = i % 3 === 0 ? [p[v] - o[0], p[v + 1] - o[1], p[v + 2] - o[2]] : anything;
      if (i % 5 === 0) d[i % 2] = 0;
      if (i % 10 === 0) d[2] = 0;
      if (d.every((x) => x === 0)) continue;
      const near = i % 4 === 0 ? 0 : 3 * (next() - 0.5);
      const [from, to] = i % 7 === 0 ? [-Infinity, Infinity] : i % 2 === 0 ? [0, Infinity] : [-2, 2];
      const facing = i % 2 === 0 ? 'along' : 'any';
      const hit = plain.nearest(...o, ...d, near, from, to, facing);
      expect(kernel.nearest(...o, ...d, near, from, to, facing)).toBe(hit);
      if (hit) {
        found++;
        const answer = ({ slot, triangle, t, u, v: w, cosine }: LineQuery) => [slot, triangle, t, u, w, cosine];
        // on an edge, two triangles answer alike but for the last bit
        if (kernel.slot === plain.slot) expect(answer(kernel)).toEqual(answer(plain));
        else expect(Math.abs(kernel.t - plain.t)).toBeLessThan(1e-12 * Math.max(1, Math.abs(plain.t)));
        different += Number(kernel.slot !== plain.slot);
      }
      const tMax = i % 3 === 0 ? Infinity : 0.5;
      expect(kernelBlock.blocked(...o, ...d, tMax)).toBe(plainBlock.blocked(...o, ...d, tMax));
    }
    expect(found).toBeGreaterThan(150);
    expect(different).toBeLessThan(0.02 * found);
  });

  it.each(shapes)('answers many lines at once, and what else they meet about as near, as the plain code: %s', (_, mesh, size, middle) => {
    const { wide, binary } = treesOf(mesh);
    const next = random(10);
    const somewhere = (): number => middle + size * (2 * next() - 1);
    const [rivals, hits] = [[0, 0], [0, 0]]; // prettier-ignore
    for (let round = 0; round < 20; round++) {
      const reach = round % 3 === 0 ? size : 20 * size;
      const rule = { reach, beyond: 1.01 + next(), apart: 1e-4 * size };
      const batches = [new LineBatch(wide, rule), new LineBatch(binary, rule)];
      const lone = new LineQuery(binary);
      // more than are added at once, fewer, none
      for (const count of [MOST_LINES, 3, 0]) {
        const lines = Array.from({ length: count }, (__, i) => {
          const d = [next() - 0.5, next() - 0.5, next() - 0.5];
          const [px, py, pz, nx, ny, nz] = [somewhere(), somewhere(), somewhere(), ...d];
          return { px, py, pz, nx, ny, nz, near: i % 4 === 0 ? 0 : size * (next() - 0.5) };
        });
        for (const batch of batches) {
          for (const line of lines) batch.add(line);
          expect(batch.answer()).toBe(count);
        }
        for (const [i, { px, py, pz, nx, ny, nz, near }] of lines.entries()) {
          const found = lone.nearest(px, py, pz, nx, ny, nz, near, -reach, reach, 'along');
          const [kernel, plain] = batches;
          expect(batches.map((batch) => batch.slot(i) >= 0)).toEqual([found, found]);
          hits[Number(found)]++;
          if (!found) continue;
          expect([plain.slot(i), plain.t(i), plain.u(i), plain.v(i), plain.cosine(i)]).toEqual([
            lone.slot,
            lone.t,
            lone.u,
            lone.v,
            lone.cosine,
          ]);
          // on an edge, two triangles answer alike but for the last bit
          if (kernel.slot(i) !== plain.slot(i))
            expect(Math.abs(kernel.t(i) - plain.t(i))).toBeLessThan(1e-12 * Math.max(1, Math.abs(plain.t(i)))); // prettier-ignore
          else
            expect([kernel.t(i), kernel.u(i), kernel.v(i), kernel.cosine(i)]).toEqual([
              plain.t(i),
              plain.u(i),
              plain.v(i),
              plain.cosine(i),
            ]);
          expect(kernel.hasRival(i)).toBe(plain.hasRival(i));
          rivals[Number(plain.hasRival(i))]++;
        }
      }
    }
    expect(hits[1]).toBeGreaterThan(100);
    expect(rivals[0]).toBeGreaterThan(50);
    if (mesh.faceSections.length === 300) expect(rivals[1]).toBeGreaterThan(50);
  });

  it('is left out where there is nothing to search, and the plain code still answers', () => {
    const none = buildRayBvh(new Float32Array(0), new Uint32Array(0));
    expect(none.wide).toBeNull();
    expect(new LineQuery(none).nearest(0, 0, 0, 0, 0, 1, 0, -1, 1, 'any')).toBe(false);
    const host = globalThis as { WebAssembly?: unknown };
    const { WebAssembly: kept } = host;
    delete host.WebAssembly;
    const { wide } = treesOf(sphere);
    host.WebAssembly = kept;
    expect(wide.wide).toBeNull();
    expect(new LineQuery(wide).nearest(0, 0, 0, 0, 0, 1, 0, 0, Infinity, 'any')).toBe(true);
  });

  it('serves five hundred threads, with no nodes for the plain code beside its own', () => {
    const { wide } = treesOf(plane(4, 1));
    if (!wide.wide) throw new Error('no kernel here');
    expect(wide.binary).toBeNull();
    // another thread's view of the same memory has an object of its own
    const another = (): LineQuery => new LineQuery({ ...wide, wide: structuredClone(wide.wide) });
    const queries = [new LineQuery(wide), ...Array.from({ length: 511 }, another)];
    for (const query of queries) {
      expect(query.nearest(0.3, 0.6, 0.4, 0, 0, -1, 0, 0, 1, 'any')).toBe(true);
      expect(query.t).toBeCloseTo(0.4, 6);
    }
    expect(another).toThrow(/more than 512 threads/);
  });

  it.each(shapes)('finds the closest point as the plain code does: %s', (_, mesh, size, middle) => {
    const { wide, binary } = treesOf(mesh);
    const [kernel, plain] = [new ClosestQuery(wide), new ClosestQuery(binary)];
    const next = random(11);
    const p = mesh.positions;
    const answers: [unknown[], unknown[]] = [[], []];
    for (let i = 0; i < 4000; i++) {
      const v = 3 * Math.floor((next() * p.length) / 3);
      // anywhere, on the surface itself, and far away
      const [x, y, z] = [0, 1, 2].map((k) => (i % 3 === 0 ? p[v + k] : middle + (i % 7 === 0 ? 300 : 1.4) * size * (2 * next() - 1)));
      const within = i % 4 === 0 ? size * next() : Infinity;
      const found = [kernel, plain].map((query) => query.find(x, y, z, within));
      // of several triangles that are as near either may answer
      const same = found[0] && found[1] && kernel.slot === plain.slot;
      [kernel, plain].forEach((query, k) => answers[k].push(found[k], query.distance2, ...(same ? [query.x, query.y, query.z, query.u, query.v] : []))); // prettier-ignore
    }
    expect(answers[0]).toEqual(answers[1]);
  });
});
