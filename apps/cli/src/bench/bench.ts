import type { Field, PolyMesh } from '@estampe/core';
import { baseSurfaceAt, BlockQuery, buildRayBvh, encodeMap, extractTile, INSIDE, TEXEL_GRID, fieldRecordOf, writeField, writeMap, limitPoints, LineQuery, packMesh, pointCount, prepareSpan, refineLevels, writeExr, writeObj, readObj, faceCount, surfaceVerts } from '@estampe/core'; // prettier-ignore
import { harbourBell, harbourBellBase } from '@estampe/demo';
import { nodeZlib, ThreadPool } from '@estampe/node';
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { MeshBVH, SAH } from 'three-mesh-bvh';
import { cpu, note, printTable } from './measure';
import { embreeRates, oiiotoolSeconds, openSubdivSeconds } from './outside';

const exponent = (small: number, large: number, growth: number): string => (Math.log(large / small) / Math.log(growth)).toFixed(2);

/** Rays as an extraction casts them: from the limit surface along its normals. */
function raysOf(low: PolyMesh, level: number): { origins: Float32Array; directions: Float32Array } {
  const base = baseSurfaceAt(low, 'limit', level);
  return { origins: base.mesh.positions, directions: base.normals };
}

async function benchRays(levels: readonly PolyMesh[]): Promise<void> {
  const sculpt = levels[4];
  const verts = surfaceVerts(sculpt);
  const buildOurs = await cpu(3, () => buildRayBvh(sculpt.positions, verts));
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(sculpt.positions, 3));
  let theirs: MeshBVH | undefined;
  const buildTheirs = await cpu(3, () => {
    geometry.setIndex(new BufferAttribute(verts.slice(), 1)); // it reorders the index
    theirs = new MeshBVH(geometry, { strategy: SAH, targetLeafSize: 4 });
  });
  note(
    'tree over 655,360 triangles',
    `${(buildTheirs / buildOurs).toFixed(2)} x as fast`,
    `three-mesh-bvh with SAH, ${buildTheirs.toFixed(2)} s`,
  );

  const { origins, directions } = raysOf(levels[0], 4);
  const reach = 12;
  const wide = buildRayBvh(sculpt.positions, verts);
  const query = new LineQuery(wide);
  let ours = 0;
  // both sides of the base, the nearest answer: what extraction asks
  const oursTwoSided = await cpu(3, () => {
    ours = 0;
    for (let i = 0; i < origins.length; i += 3)
      if (
        query.nearest(
          origins[i],
          origins[i + 1],
          origins[i + 2],
          directions[i],
          directions[i + 1],
          directions[i + 2],
          0,
          -reach,
          reach,
          'along',
        )
      )
        ours++;
  });
  // one side only, any facing, from outside: the same rays for both trees
  let oursOne = 0;
  const oursOneSided = await cpu(3, () => {
    oursOne = 0;
    for (let i = 0; i < origins.length; i += 3)
      if (
        query.nearest(
          origins[i] - reach * directions[i],
          origins[i + 1] - reach * directions[i + 1],
          origins[i + 2] - reach * directions[i + 2],
          directions[i],
          directions[i + 1],
          directions[i + 2],
          0,
          0,
          Infinity,
          'any',
        )
      )
        oursOne++;
  });
  const ray = new Ray(new Vector3(), new Vector3());
  let theirsHits = 0;
  const theirsOneSided = await cpu(3, () => {
    theirsHits = 0;
    for (let i = 0; i < origins.length; i += 3) {
      ray.direction.set(directions[i], directions[i + 1], directions[i + 2]);
      ray.origin.set(origins[i], origins[i + 1], origins[i + 2]).addScaledVector(ray.direction, -reach);
      if (theirs?.raycastFirst(ray, DoubleSide)) theirsHits++;
    }
  });
  const n = origins.length / 3;
  note(
    'rays, first hit, one thread',
    `${(theirsOneSided / oursOneSided).toFixed(2)} x as many a CPU second`,
    `three-mesh-bvh, ${Math.round(n / theirsOneSided)} a CPU second, same rays`,
  );
  note('', `hits ${oursOne} and ${theirsHits} of ${n}`, 'the two trees');
  const outside = origins.map((x, i) => x - reach * directions[i]);
  const embree = embreeRates(sculpt.positions, verts, outside, directions);
  const blocks = new BlockQuery(wide);
  let oursBlocked = 0;
  const any = await cpu(3, () => {
    oursBlocked = 0;
    for (let i = 0; i < outside.length; i += 3)
      if (blocks.blocked(outside[i], outside[i + 1], outside[i + 2], directions[i], directions[i + 1], directions[i + 2], Infinity))
        oursBlocked++;
  });
  if (embree) {
    const share = (mine: number, { raysPerSecond }: { raysPerSecond: number }): string =>
      `${(mine / raysPerSecond).toFixed(2)} x as many a CPU second`;
    note(
      '',
      share(n / oursOneSided, embree.nearest),
      `Embree, rtcIntersect1, robust, ${embree.nearest.raysPerSecond} a CPU second, same rays`,
    );
    note(
      'rays, any hit, one thread',
      share(n / any, embree.blocked),
      `Embree, rtcOccluded1, robust, ${embree.blocked.raysPerSecond} a CPU second`,
    );
    note('', `hits ${oursOne} and ${embree.nearest.hits}, any ${oursBlocked} and ${embree.blocked.hits} of ${n}`, 'ours and Embree');
  }
  note('rays, nearest of both sides', `${Math.round(n / oursTwoSided)} a CPU second`, `${ours} of ${n} hit`);
}

async function benchRefinement(): Promise<void> {
  const base = harbourBellBase();
  const three = await cpu(5, () => refineLevels(base, 3));
  const six = await cpu(1, () => refineLevels(base, 6));
  const four = await cpu(3, () => refineLevels(base, 4));
  const five = await cpu(2, () => refineLevels(base, 5));
  const { mesh } = refineLevels(base, 5);
  const copy = await cpu(3, () => packMesh(mesh));
  note(
    'refining to 1.3 M faces with UVs',
    `${five.toFixed(2)} CPU s`,
    `exponent ${exponent(three, six, 64)} in faces, from 82 thousand to 5.2 M`,
  );
  note('', `${(five / Math.max(copy, 1e-3)).toFixed(0)} x a copy`, 'copying the finished arrays once');
  const outside = openSubdivSeconds(base, 5);
  if (outside)
    note(
      '',
      `${(five / outside.seconds).toFixed(2)} x the CPU time`,
      `OpenSubdiv, ${outside.faces} faces, ${outside.seconds.toFixed(2)} s`,
    );
  const limit = await cpu(2, () => limitPoints(refineLevels(base, 4)));
  note('pushing 0.33 M points to the limit', `${((limit - four) / four).toFixed(2)} x`, 'refining to that level');
}

async function benchExtraction(levels: readonly PolyMesh[]): Promise<void> {
  const pool = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url));
  const single = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url), 1);
  const span = (size: number) => prepareSpan(levels[0], levels[4], { width: size, height: size }, pool);
  const seconds = async (size: number, threads: ThreadPool): Promise<number> => {
    const prepared = span(size);
    const from = performance.now();
    await extractTile(prepared, 1001, threads);
    return (performance.now() - from) / 1000;
  };
  await seconds(512, pool); // warm
  await seconds(512, single);
  const one = await seconds(2048, single);
  const all = await seconds(2048, pool);
  note('extraction at 2K', `${(one / all).toFixed(2)} x as fast on ${pool.count} threads`, `one thread, ${one.toFixed(1)} s`);
  const small = await seconds(1024, pool);
  const large = await seconds(4096, pool);
  note('extraction, growth with texels', `exponent ${exponent(small, large, 16)}`, '1K to 4K');
  await Promise.all([pool.close(), single.close()]);
}

/** Rays in the order that an extraction casts them: neighbours follow each other, as texels of a tile do. */
function raysInOrder(low: PolyMesh, level: number): { origins: Float32Array; directions: Float32Array } {
  const { mesh, normals } = baseSurfaceAt(low, 'limit', level);
  // children of a face follow each other, so the first corners of the faces go round in small steps
  const firsts = Uint32Array.from({ length: faceCount(mesh) }, (_, f) => mesh.faceVerts[mesh.faceOffsets[f]]);
  const pick = (a: Float32Array): Float32Array => Float32Array.from({ length: 3 * firsts.length }, (_, i) => a[3 * firsts[Math.floor(i / 3)] + (i % 3)]); // prettier-ignore
  return { origins: pick(mesh.positions), directions: pick(normals) };
}

async function benchGrowthWithFaces(levels: readonly PolyMesh[]): Promise<void> {
  const { origins, directions } = raysInOrder(levels[0], 5);
  const measure = async (mesh: PolyMesh, times: number): Promise<{ build: number; trace: number }> => {
    const verts = surfaceVerts(mesh);
    let tree = buildRayBvh(new Float32Array(0), new Uint32Array(0));
    const build = await cpu(times, () => (tree = buildRayBvh(mesh.positions, verts)));
    const query = new LineQuery(tree);
    const trace = await cpu(3, () => {
      for (let i = 0; i < origins.length; i += 3)
        query.nearest(origins[i], origins[i + 1], origins[i + 2], directions[i], directions[i + 1], directions[i + 2], 0, -12, 12, 'along');
    });
    return { build, trace };
  };
  const bare = { ...levels[4], uvs: null, faceUvs: null, colors: null };
  const small = await measure(levels[3], 3);
  const large = await measure(refineLevels(bare, 2).mesh, 1);
  note('building the tree, growth with faces', `exponent ${exponent(small.build, large.build, 64)}`, '82 thousand to 5.2 M faces');
  note(
    'a ray over 64 times the faces',
    `${(large.trace / small.trace).toFixed(2)} x`,
    '82 thousand to 5.2 M faces, 1.3 M rays, neighbours in turn',
  );
}

async function benchFiles(levels: readonly PolyMesh[]): Promise<void> {
  const image = (side: number) => {
    const data = new Float32Array(3 * side * side);
    // smooth with fine noise, as a displacement map is
    for (let i = 0; i < data.length; i++)
      data[i] = 10 * Math.sin(i / (40 * side)) * Math.cos((i % (3 * side)) / 300) + 0.01 * Math.sin(i * i);
    const channels = ['B', 'G', 'R'].map((name, k) => ({ name, type: 'float' as const, data, offset: k, stride: 3 }));
    return { width: side, height: side, attributes: {}, channels };
  };
  const large = image(4096);
  let exr = new Uint8Array(0);
  const four = await cpu(2, async () => (exr = (await writeExr(large, nodeZlib)) as Uint8Array<ArrayBuffer>));
  const deflate = await cpu(2, () => nodeZlib.deflate(new Uint8Array(large.channels[0].data.buffer)));
  note(
    'EXR at 4K, three floats, ZIP',
    `${(four / deflate).toFixed(2)} x the CPU time`,
    `deflating the same bytes, ${deflate.toFixed(2)} s`,
  );
  const theirs = oiiotoolSeconds(exr);
  if (theirs !== null)
    note('', `${(four / theirs).toFixed(2)} x the CPU time`, `oiiotool on one thread, reading taken off, ${theirs.toFixed(2)} s`);
  const one = image(1024);
  note('EXR, growth with texels', `exponent ${exponent(await cpu(3, () => writeExr(one, nodeZlib)), four, 16)}`, '1K to 4K');
  const obj = writeObj(levels[4]);
  const write = await cpu(2, () => writeObj(levels[4]));
  const read = await cpu(2, () => readObj(obj));
  const text = new TextDecoder().decode(obj);
  const split = await cpu(2, () => text.split('\n').map((line) => line.split(' ').length));
  note(
    'reading OBJ',
    `${(obj.length / 1e6 / read).toFixed(0)} MB a CPU second, ${(split / read).toFixed(2)} x`,
    'splitting its lines as strings',
  );
  note(
    'writing OBJ',
    `${(obj.length / 1e6 / write).toFixed(0)} MB a CPU second`,
    `${pointCount(levels[4])} points, ${faceCount(levels[4])} faces`,
  );
}

/** From 1K to 8K: what is encoded and written a tile. */
async function benchGrowthWithTexels(): Promise<void> {
  const heights = (side: number): Field => ({
    width: side,
    height: side,
    channels: 1,
    values: Float32Array.from({ length: side * side }, (_, i) => 10 * Math.sin(i / (40 * side)) * Math.cos((i % side) / 300)),
    coverage: new Uint8Array(side * side).fill(INSIDE),
  });
  const sizes = new Float32Array(TEXEL_GRID * TEXEL_GRID).fill(0.3);
  const record = fieldRecordOf({ kind: 'scalar' });
  const measure = async (side: number, times: number): Promise<{ encode: number; tiff: number; exr: number }> => {
    const field = heights(side);
    const encoding = { depth: '16', midpoint: 0.5, scale: 25 } as const;
    const encode = await cpu(times, () => encodeMap(field, record, encoding, sizes));
    const { map, record: written } = encodeMap(field, record, encoding, sizes);
    const tiff = await cpu(times, () => writeMap({ ...map, half: false }, written, 'tif', nodeZlib));
    const exr = await cpu(times, () => writeField(field, record, sizes, nodeZlib));
    return { encode, tiff, exr };
  };
  const [one, eight] = [await measure(1024, 5), await measure(8192, 1)];
  note('encoding heights at 16 bit, growth with texels', `exponent ${exponent(one.encode, eight.encode, 64)}`, '1K to 8K');
  note('writing them as TIFF, growth with texels', `exponent ${exponent(one.tiff, eight.tiff, 64)}`, '1K to 8K');
  note('writing a field as EXR, growth with texels', `exponent ${exponent(one.exr, eight.exr, 64)}`, '1K to 8K');
}

const levels = harbourBell(4);
const only = process.argv[2];
await benchRays(levels);
if (only === 'rays') process.exit(0);
if (only === 'growth') {
  await benchGrowthWithFaces(levels);
  await benchGrowthWithTexels();
  await benchRefinement();
  process.exit(0);
}
await benchRefinement();
await benchGrowthWithFaces(levels);
await benchGrowthWithTexels();
await benchFiles(levels);
await benchExtraction(levels);
printTable();
