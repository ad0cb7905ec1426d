import type { PolyMesh, TransferTarget } from '@estampe/core';
import {
  faceCount,
  faceGroups,
  groupsOfRuns,
  inlineThreads,
  LevelBrush,
  meanEdgeLength,
  needsSculpt,
  transferTarget,
  triangleVerts,
  triangulate,
  unpackMesh,
  vertexNormals,
  withGroups,
  withGroupsOf,
} from '@estampe/core';
import type { BrushQuestion, Change, OpenedLevel } from './brush-messages';
import { bytesOf } from './mesh-bytes';

/** The level that is being worked on. */
interface Work {
  readonly light: PolyMesh;
  readonly level: PolyMesh;
  readonly sculptUrl: string | null;
  brush: LevelBrush;
  hasTarget: boolean;
  /** Where points were before each stroke, the newest last. */
  readonly before: Map<number, readonly [number, number, number]>[];
}
let work: Work | null = null;

async function open({ url, lightUrl, groups, sculptUrl }: Extract<BrushQuestion, { ask: 'open' }>): Promise<OpenedLevel> {
  const bare = unpackMesh(await bytesOf(lightUrl));
  const light = groups === null ? bare : withGroups(bare, groupsOfRuns(groups, faceCount(bare)));
  const level = withGroupsOf(light, unpackMesh(await bytesOf(url)));
  work = { light, level, sculptUrl, brush: new LevelBrush(level, null), hasTarget: false, before: [] };
  const triangles = triangulate(level);
  const mesh = {
    positions: level.positions.slice(), normals: vertexNormals(level), index: triangleVerts(level, triangles), faces: triangles.faces,
    errors: null, uvs: null, tiles: null, uvLines: new Float32Array(0), uvLinesOfFaces: null, islands: null, uvLayers: null,
  }; // prettier-ignore
  return { mesh, groups: faceGroups(light).names.filter((name) => name !== ''), edge: meanEdgeLength(level) };
}

/** The brush with the sculpt to drag to; made when it is first asked for. */
async function withTarget(own: Work): Promise<LevelBrush> {
  if (own.hasTarget || own.sculptUrl === null) return own.brush;
  const target: TransferTarget = await transferTarget(own.light, unpackMesh(await bytesOf(own.sculptUrl)), inlineThreads);
  own.brush = new LevelBrush({ ...own.level, positions: own.brush.positions }, target);
  own.hasTarget = true;
  return own.brush;
}

async function stroke({ stroke: given, goesOn }: Extract<BrushQuestion, { ask: 'stroke' }>): Promise<Change> {
  if (work === null) throw new Error('No level is under the brush; open the brush again.');
  const brush = needsSculpt(given.tool) ? await withTarget(work) : work.brush;
  const old = brush.positions.slice();
  const moved = brush.apply(given);
  if (!goesOn || work.before.length === 0) work.before.push(new Map());
  const before = work.before[work.before.length - 1];
  for (const v of moved) if (!before.has(v)) before.set(v, [old[3 * v], old[3 * v + 1], old[3 * v + 2]]);
  return changeOf(brush, moved);
}

function undo(): Change {
  const before = work?.before.pop();
  if (work === null || before === undefined) throw new Error('There is no stroke to take back.');
  for (const [v, place] of before) work.brush.positions.set(place, 3 * v);
  return changeOf(work.brush, Uint32Array.from(before.keys()));
}

function changeOf(brush: LevelBrush, moved: Uint32Array): Change {
  const places = new Float32Array(3 * moved.length);
  moved.forEach((v, k) => places.set(brush.positions.subarray(3 * v, 3 * v + 3), 3 * k));
  const { points: turned, normals } = brush.normalsNear(moved);
  return { moved, places, turned, normals };
}

// one after another: each stroke goes on from the last
let last: Promise<unknown> = Promise.resolve();
addEventListener('message', ({ data }: MessageEvent<BrushQuestion & { readonly id: number }>) => {
  const answer = async (): Promise<object> => {
    switch (data.ask) {
      case 'open':
        return { opened: await open(data) };
      case 'stroke':
        return { change: await stroke(data) };
      case 'undo':
        return { change: undo() };
    }
  };
  last = last.then(answer).then(
    (reply) => postMessage({ id: data.id, ...reply }),
    (error: unknown) => postMessage({ id: data.id, message: error instanceof Error ? error.message : String(error) }),
  );
});
