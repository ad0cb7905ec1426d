import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { PolyMesh } from '@estampe/core';
import {
  buildRayBvh,
  ClosestQuery,
  CORE_MESH_CODECS,
  encodeMap,
  faceCount,
  fieldRecordOf,
  INSIDE,
  pointCount,
  prepareSpan,
  readField,
  surfaceVerts,
  writeMap,
} from '@estampe/core';
import { kelpGrownLevel, kelpHoldfastBase } from '@estampe/demo';
import { nodeZlib } from '@estampe/node';
import { cpu, note, printTable } from './measure';
import { commandSeconds, embreeTree, nativeHeights, oiiotoolSeconds } from './outside';

/** `npm run bench:film`: whole commands, from files to files, on the grown holdfast as a stack of 1,572,864 quads over 1,536, its points and faces in
 *  another order than ours, at 2K. Takes some minutes. Native programs are compared where they are installed. */
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
const dir = mkdtempSync(join(tmpdir(), 'estampe-film-'));
process.on('exit', () => rmSync(dir, { recursive: true, force: true }));
const inDir = (name: string): string => join(dir, name);
writeFileSync(inDir('low.ply'), CORE_MESH_CODECS.ply.write(low));
writeFileSync(inDir('sculpt.ply'), CORE_MESH_CODECS.ply.write(sculpt));

const estampe = (words: string, threads: number): ReturnType<typeof commandSeconds> => {
  const main = fileURLToPath(new URL('./main.mjs', import.meta.url));
  return commandSeconds(`${process.execPath} --max-old-space-size=8000 ${main} ${words.replaceAll('@', `${dir}/`)} -j ${threads}`);
};

/** CPU seconds of a command on one thread, and how many times as fast two are by the clock. */
function command(what: string, words: string): number {
  const [alone, together] = [estampe(words, 1), estampe(words, 2)];
  note(what, `${alone.cpu.toFixed(1)} CPU s`, `${(alone.wall / together.wall).toFixed(2)} x as fast on 2 threads, ${together.wall.toFixed(1)} s by the clock`); // prettier-ignore
  return alone.cpu;
}
const MESHES = `--low @low.ply --sculpt @sculpt.ply`;

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
const { base } = prepareSpan(low, sculpt, { width: 16, height: 16, maps: ['vector'] });
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

command('heights', `extract ${MESHES} --map scalar -o @heights.exr --size ${SIZE}`);
const seconds = command('heights by rays', `extract ${MESHES} --map scalar --match rays -o @rays.exr --size ${SIZE}`);
const native = nativeHeights(inDir('low.ply'), inDir('sculpt.ply'), LEVELS, SIZE);
if (native !== null) {
  const [all, read, refined, grown, texels, written] = native.seconds.map((s) => s.toFixed(1));
  const { field } = await readField(readFileSync(inDir('rays.exr')), nodeZlib);
  const inside = field.values.filter((_, t) => field.coverage[t] === INSIDE);
  const mean = inside.reduce((sum, x) => sum + x, 0) / inside.length;
  note('', `${(seconds / native.seconds[0]).toFixed(2)} x the CPU time`, `OpenSubdiv, Embree and OpenEXR in one program, ${all} s: reading ${read}, base ${refined}, tree ${grown}, texels ${texels}, writing ${written}`); // prettier-ignore
  note('', `mean of ${inside.length} texels ${mean.toFixed(6)}`, `of ${native.hits} texels ${native.mean.toFixed(6)}`);
}
command('vectors', `extract ${MESHES} --map vector -o @vectors.exr --size ${SIZE}`);
const shared = command('occlusion, 64 rays', `extract ${MESHES} --map occlusion -o @occlusion.exr --size ${SIZE}`);
const alone = estampe(`extract ${MESHES} --map occlusion --share-rays no -o @plain.exr --size ${SIZE}`, 1).cpu;
note('', `${(shared / alone).toFixed(2)} x the CPU time`, `every sample with rays of its own, ${alone.toFixed(1)} s`);

const { field } = await readField(readFileSync(inDir('heights.exr')), nodeZlib);
const sizes = new Float32Array(64 * 64).fill(0.3);
const encode = () => encodeMap(field, fieldRecordOf({ kind: 'scalar' }), { depth: 'half', midpoint: 0, scale: 1 }, sizes);
const write = async (): Promise<Uint8Array> => {
  const { map, record } = encode();
  return writeMap({ ...map, half: true }, record, 'exr', nodeZlib);
};
let file = new Uint8Array(0);
const encoded = await cpu(3, async () => (file = (await write()) as Uint8Array<ArrayBuffer>));
const theirs = oiiotoolSeconds(file);
note('encoding to half, figures, EXR', `${encoded.toFixed(2)} CPU s`, theirs === null ? 'nothing to compare with' : `oiiotool writes it in ${theirs.toFixed(2)} s, reading taken off`); // prettier-ignore
estampe('encode @heights.exr -o @map.exr --depth half', 1);

const proof = command('proof at the own level', `proof ${MESHES} --map @map.exr --subdivisions ${LEVELS}`);
if (embree) {
  const queries = 2 * (pointCount(sculpt) + faceCount(sculpt));
  const reckoned = 2 * embree.buildSeconds + queries / embree.placesPerSecond;
  note('', `${(proof / reckoned).toFixed(2)} x the CPU time`, `Embree, two trees and ${queries.toLocaleString('en')} closest points from scratch, reckoned at its rate near the surface, no files: ${reckoned.toFixed(1)} s`); // prettier-ignore
}
printTable();
