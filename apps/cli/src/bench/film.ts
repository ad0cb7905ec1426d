import type { ExtractOptions, Field, PolyMesh, Raster } from '@estampe/core';
import {
  buildRayBvh,
  ClosestQuery,
  encodeMap,
  extractTile,
  faceCount,
  fieldRecordOf,
  pointCount,
  prepareSpan,
  prepareSpanBeside,
  proveDisplacement,
  readMap,
  surfaceVerts,
  writeMap,
} from '@estampe/core';
import { kelpGrownLevel, kelpHoldfastBase } from '@estampe/demo';
import { nodeZlib, ThreadPool } from '@estampe/node';
import { cpu, note, printTable } from './measure';
import { embreeTree, nativeHeights, oiiotoolSeconds } from './outside';

/** `npm run bench:film`: whole jobs on the grown holdfast as a stack of 1,572,864 quads over 1,536, its points and faces in another order than ours, at
 *  2K. Takes some minutes. Embree and oiiotool are compared where they are installed. */
const SIZE = 2048;
const LEVELS = 5;

/** The same mesh as another program would write it: points and faces from the last to the first, faces begun at another corner. */
function backwards(mesh: PolyMesh): PolyMesh {
  const P = pointCount(mesh);
  const C = mesh.faceVerts.length;
  const positions = new Float32Array(3 * P);
  for (let v = 0; v < P; v++) positions.set(mesh.positions.subarray(3 * v, 3 * v + 3), 3 * (P - 1 - v));
  const faceVerts = new Uint32Array(C);
  for (let c = 0; c < C; c += 4) for (let k = 0; k < 4; k++) faceVerts[C - 4 - c + k] = P - 1 - mesh.faceVerts[c + ((k + 1) & 3)];
  return { ...mesh, positions, faceVerts, uvs: null, faceUvs: null, colors: null };
}

const low = kelpHoldfastBase();
const sculpt = backwards(kelpGrownLevel(LEVELS));
const single = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url), 1);
const pool = new ThreadPool(new URL('./kernel.worker.mjs', import.meta.url));

/** CPU seconds on one thread, and how many times as fast all are by the clock. */
async function job(what: string, run: (threads: ThreadPool) => Promise<unknown>): Promise<number> {
  const clocked = async (threads: ThreadPool): Promise<number> => {
    const from = performance.now();
    await run(threads);
    return (performance.now() - from) / 1000;
  };
  let alone = 0;
  const seconds = await cpu(1, async () => (alone = await clocked(single)));
  const together = await clocked(pool);
  note(what, `${seconds.toFixed(1)} CPU s`, `${(alone / together).toFixed(2)} x as fast on ${pool.count} threads`);
  return seconds;
}

async function field(threads: ThreadPool, kind: 'scalar' | 'vector' | 'occlusion', options: Partial<ExtractOptions> = {}): Promise<Field> {
  const span = await prepareSpanBeside(low, sculpt, { width: SIZE, height: SIZE, maps: [kind], ...options }, threads);
  return (await extractTile(span, 1001, threads)).fields.get(kind) as Field;
}

const verts = surfaceVerts(sculpt);
let tree = buildRayBvh(new Float32Array(0), new Uint32Array(0));
const built = await cpu(3, () => (tree = buildRayBvh(sculpt.positions, verts)));
const triangles = `${(verts.length / 3).toLocaleString('en')} triangles`;

/** Closest points of some places, one after another. @returns what Embree takes for its tree and how many it finds a CPU second; null without it */
async function closestPoints(what: string, places: Float32Array): Promise<ReturnType<typeof embreeTree>> {
  let distances = 0;
  const seconds = await cpu(2, () => {
    distances = 0;
    const query = new ClosestQuery(tree);
    for (let i = 0; i < places.length; i += 3) {
      query.find(places[i], places[i + 1], places[i + 2]);
      distances += Math.sqrt(query.distance2);
    }
  });
  const rate = places.length / 3 / seconds;
  const embree = embreeTree(sculpt.positions, verts, places);
  if (embree === null) note(what, `${Math.round(rate)} a CPU second`, 'nothing to compare with');
  else {
    note(what, `${(rate / embree.placesPerSecond).toFixed(2)} x as many a CPU second`, `Embree, rtcPointQuery, ${embree.placesPerSecond} a CPU second, same places`); // prettier-ignore
    note('', `sums of distances ${distances.toFixed(2)} and ${embree.distances.toFixed(2)}`, 'ours and Embree');
  }
  return embree;
}

// far from the sculpt, where the undisplaced base stands, and near it, as what is proven
const { base } = prepareSpan(low, sculpt, { width: 16, height: 16, maps: ['vector'] }, single);
await closestPoints('closest points of the bare base', base.mesh.positions);
const embree = await closestPoints(
  'closest points of a near surface',
  sculpt.positions.map((x, i) => x + 0.01 * Math.sin(i)),
);
if (embree === null) note(`tree over ${triangles}`, `${built.toFixed(2)} CPU s`, 'nothing to compare with');
else note(`tree over ${triangles}`, `${(built / embree.buildSeconds).toFixed(2)} x the CPU time`, `Embree, ${embree.buildSeconds.toFixed(2)} s on one thread`); // prettier-ignore
if (process.argv[2] === 'trees') {
  printTable();
  process.exit(0);
}

let heights: Field | null = null;
await job('heights at 2K', async (threads) => (heights = await field(threads, 'scalar')));
let byRays: Field | null = null;
const seconds = await job('heights at 2K by rays', async (threads) => (byRays = await field(threads, 'scalar', { match: 'rays' })));
const native = nativeHeights(low, LEVELS, SIZE, sculpt.positions, verts);
if (native !== null) {
  const [all, refined, grown, texels] = native.seconds;
  const { values, coverage } = byRays as unknown as Field;
  const inside = values.filter((_, t) => coverage[t] === 1);
  const mean = inside.reduce((sum, x) => sum + x, 0) / inside.length;
  note('', `${(seconds / all).toFixed(2)} x the CPU time`, `OpenSubdiv and Embree in one program, ${all.toFixed(1)} s: base ${refined.toFixed(1)}, tree ${grown.toFixed(1)}, texels ${texels.toFixed(1)}`); // prettier-ignore
  note('', `mean of ${inside.length} texels ${mean.toFixed(6)}`, `of ${native.hits} texels ${native.mean.toFixed(6)}`);
}
await job('vectors at 2K', (threads) => field(threads, 'vector'));
const shared = await job('occlusion at 2K, 64 rays', (threads) => field(threads, 'occlusion'));
const alone = await cpu(1, () => field(single, 'occlusion', { shareRays: false }));
note('', `${(shared / alone).toFixed(2)} x the CPU time, all told`, `every sample with rays of its own, ${alone.toFixed(1)} s`);

const measured = heights as unknown as Field;
const sizes = new Float32Array(64 * 64).fill(0.3);
const encoding = { depth: 'half', midpoint: 0, scale: 1 } as const;
const encode = () => encodeMap(measured, fieldRecordOf({ kind: 'scalar' }), encoding, sizes);
const write = async (): Promise<Uint8Array> => {
  const { map, record } = encode();
  return writeMap({ ...map, half: true }, record, 'exr', nodeZlib);
};
let file = new Uint8Array(0);
const encoded = await cpu(3, async () => (file = (await write()) as Uint8Array<ArrayBuffer>));
const theirs = oiiotoolSeconds(file);
note('encoding to half, figures, EXR', `${encoded.toFixed(2)} CPU s`, theirs === null ? 'nothing to compare with' : `oiiotool writes it in ${theirs.toFixed(2)} s, reading taken off`); // prettier-ignore

const maps = new Map<number, Raster>([[1001, (await readMap(file, nodeZlib)).raster]]);
const proof = await job('proof at the own level', (threads) => proveDisplacement({ low, sculpt, maps }, { subdivisions: LEVELS }, threads));
if (embree) {
  const queries = 2 * (pointCount(sculpt) + faceCount(sculpt));
  const native = 2 * embree.buildSeconds + queries / embree.placesPerSecond;
  note('', `${(proof / native).toFixed(2)} x the CPU time`, `Embree, two trees and ${queries.toLocaleString('en')} closest points from scratch, reckoned at its rate near the surface: ${native.toFixed(1)} s`); // prettier-ignore
}
await Promise.all([single.close(), pool.close()]);
printTable();
