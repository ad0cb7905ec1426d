import type { FindingInfo, TransferFiguresInfo } from '@estampe/contracts';
import type { PolyMesh, RunControl, Stroke, Threads, TransferredLevel } from '@estampe/core';
import {
  addedLevel,
  assembleStack,
  compareLevel,
  diagonalOf,
  faceCount,
  groupsOfRuns,
  hasCompleteUvs,
  levelFindings,
  InvalidInputError,
  levelDetail,
  LevelBrush,
  meshWithin,
  packMesh,
  pointCount,
  raisedBase,
  recoverLevels,
  settleBase,
  subProgress,
  transferSculpt,
  transferTarget,
  unpackMesh,
  withGroups,
  withGroupsOf,
  withUvsOf,
} from '@estampe/core';
import type { JobInput, KeptLevel, LevelsResult } from './job-messages';
import { saidOfPair } from './run-import';
import { lightLevel } from './run-unwrap';

type LevelsInput = Extract<JobInput, { kind: 'levels' }>;
type MadeLevel = Exclude<LevelsResult['levels'][number], KeptLevel>;
interface Work {
  readonly meshes: readonly PolyMesh[]; // level 0 first
  readonly input: LevelsInput;
  readonly threads: Threads;
  readonly control: RunControl;
}

/** Changes the levels of a part. @throws InvalidInputError  @throws CancelledError */
export async function runLevels(input: LevelsInput, threads: Threads, control: RunControl): Promise<LevelsResult> {
  const meshes = input.levels.map(({ bytes }) => unpackMesh(bytes));
  if (input.groups !== null) meshes[0] = withGroups(meshes[0], groupsOfRuns(input.groups, faceCount(meshes[0])));
  const work: Work = { meshes, input, threads, control };
  const { request } = input;
  switch (request.op) {
    case 'add': {
      const top = addedLevel(meshes);
      return { kind: 'levels', title: `level ${meshes.length} added`, levels: [...keptBelow(work), upper(work, top)] };
    }
    case 'project':
      return projectNext(work, request.reach);
    case 'drop':
      return request.end === 'top'
        ? { kind: 'levels', title: `level ${meshes.length - 1} dropped`, levels: kept(work).slice(0, -1) }
        : {
            kind: 'levels',
            title: 'base raised by a level',
            levels: [raised(work), ...kept(work).slice(2)],
          };
    case 'recover':
      return recover(work, request.levels ?? undefined);
    case 'settle':
      return settle(work);
    case 'brush':
      return brush(work, request.strokes);
  }
}

/** Every level as it is. */
const kept = ({ input }: Work): KeptLevel[] => input.levels.map(({ meshId, detail }) => ({ kept: meshId, detail }));

/** Every level as it is, but that the finest gets UVs where it has none: from now on maps may start from it. */
function keptBelow(work: Work): LevelsResult['levels'][number][] {
  const { meshes, input } = work;
  const all = kept(work);
  const top = meshes.length - 1;
  if (top === 0 || hasCompleteUvs(meshes[top]) || !hasCompleteUvs(meshes[0])) return all;
  const laid = upper({ meshes: meshes.slice(0, top) }, withUvsOf(meshes), input.transfer ?? undefined);
  return [...all.slice(0, -1), { ...laid, detail: all[top].detail }];
}

/** A new level on top of those that are there. */
function upper({ meshes }: Pick<Work, 'meshes'>, mesh: PolyMesh, transfer?: TransferFiguresInfo, findings: FindingInfo[] = []): MadeLevel {
  return {
    mesh: packMesh(mesh),
    points: pointCount(mesh),
    faces: faceCount(mesh),
    diagonal: diagonalOf(mesh.positions),
    tiles: [],
    findings,
    detail: levelDetail(meshes[meshes.length - 1], mesh),
    colours: mesh.colors !== null,
    uv: null,
    ...(transfer === undefined ? {} : { transfer }),
  }; // prettier-ignore
}

async function projectNext(work: Work, reach: number | null): Promise<LevelsResult> {
  const { meshes, threads, control } = work;
  const began = performance.now();
  const [low, ...there] = meshes;
  const [made]: TransferredLevel[] = await transferSculpt(low, sculptOf(work), { levels: meshes.length, reach }, { there, threads, control: subProgress(control, 0, 0.9) }); // prettier-ignore
  const { projectedShare, refused, rms, max, folds } = made;
  const figures = { projectedShare, refused, rms, max, folds, reach: made.reach, seconds: (performance.now() - began) / 1000 };
  const findings = levelFindings(meshes.length, made);
  return {
    kind: 'levels',
    title: `level ${meshes.length} from the sculpt`,
    levels: [...keptBelow(work), upper(work, made.mesh, figures, findings)],
  };
}

/** Coarser levels below; where points were in another order, the levels above are renumbered to theirs. */
function recover(work: Work, most: number | undefined): LevelsResult {
  const { meshes, control } = work;
  const { levels: found, stopped } = recoverLevels(meshes[0], most, {}, subProgress(control, 0, 0.6));
  if (found.length === 0) throw new InvalidInputError('NOT_A_STACK', `The light mesh is no refinement of a coarser one: ${stopped}.`);
  const coarsest = found[found.length - 1].mesh;
  const others = [
    ...found
      .slice(0, -1)
      .map(({ mesh }) => mesh)
      .reverse(),
    ...meshes,
  ].map((mesh, k) => ({ name: `level ${k + 1}`, mesh }));
  const stack = assembleStack(coarsest, others, subProgress(control, 0.6, 0.8));
  if (stack === null) throw new InvalidInputError('NOT_A_STACK', 'The coarser mesh that was found does not give this one back; keep this one as it is.'); // prettier-ignore
  const ambiguous = found.reduce((sum, level) => sum + level.ambiguous, 0);
  const said: FindingInfo[] =
    ambiguous === 0
      ? []
      : [{ code: 'recovered-one-of-several', severity: 'note', count: ambiguous, message: `${ambiguous} ${ambiguous === 1 ? 'piece' : 'pieces'} could have been refined from several meshes; the one by the order of the file, its UVs or the better fit was taken.`, faces: [] }]; // prettier-ignore
  const top = stack.levels.length - 1;
  const made = stack.levels.map((mesh, k): MadeLevel =>
    k === 0
      ? lightLevel(mesh, [...said, ...saidOfPair(mesh, stack.levels[top], top)], control)
      : upper({ meshes: stack.levels.slice(0, k) }, mesh),
  );
  return { kind: 'levels', title: `${found.length} coarser ${found.length === 1 ? 'level' : 'levels'} recovered`, levels: made };
}

/** Level 1 as the light mesh. */
function raised({ meshes, control }: Work): MadeLevel {
  const base = raisedBase(meshes[0], meshes[1]);
  const levels = meshes.length - 2;
  return lightLevel(base, levels === 0 ? [] : saidOfPair(base, meshes[meshes.length - 1], levels), control);
}

/** The base moved to where the smooth surface is; the levels above stay. */
function settle(work: Work): LevelsResult {
  const { meshes, input, control } = work;
  const { base, before, after } = settleBase(meshes[0], meshes[meshes.length - 1], {}, subProgress(control, 0, 0.9));
  const says = `smooth surface off by ${before.rms.toPrecision(3)} ${input.unit} before, ${after.rms.toPrecision(3)} after (at most ${before.max.toPrecision(3)} and ${after.max.toPrecision(3)})`;
  const note: FindingInfo = { code: 'settled', severity: 'note', count: 1, message: `Settled: ${says}.`, faces: [] };
  const [, first, ...above] = kept(work);
  return { kind: 'levels', title: `settled: ${before.rms.toPrecision(3)} to ${after.rms.toPrecision(3)} ${input.unit}`, levels: [lightLevel(base, [note], subProgress(control, 0.9, 1)), { ...first, detail: levelDetail(base, meshes[1]) }, ...above] }; // prettier-ignore
}

/** The finest level under a brush, and where there is a sculpt, how it lies on it now. */
async function brush(work: Work, strokes: readonly Stroke[]): Promise<LevelsResult> {
  const { meshes, input, threads, control } = work;
  const before = withGroupsOf(meshes[0], meshes[meshes.length - 1]);
  const target = input.sculpt === null ? null : await transferTarget(meshes[0], sculptOf(work), threads, control);
  const under = new LevelBrush(before, target);
  for (const stroke of strokes) under.apply(stroke);
  const mesh: PolyMesh = { ...meshes[meshes.length - 1], positions: under.positions, normals: null, faceNormals: null };
  const compared = target === null ? null : await compareLevel(mesh, target, input.missed, threads, subProgress(control, 0.2, 0.9));
  const figures = input.transfer !== null && compared !== null ? { ...input.transfer, rms: compared.rms, max: compared.max, folds: compared.folded.length } : undefined; // prettier-ignore
  const findings =
    compared === null ? [] : levelFindings(meshes.length - 1, { carried: compared.offPoints, missed: compared.off, folds: compared.folded.length, folded: compared.folded }); // prettier-ignore
  const title = `${strokes.length} ${strokes.length === 1 ? 'stroke' : 'strokes'} of the brush`;
  return { kind: 'levels', title, levels: [...kept(work).slice(0, -1), upper({ meshes: meshes.slice(0, -1) }, mesh, figures, findings)] }; // prettier-ignore
}

function sculptOf({ input }: Pick<Work, 'input'>): PolyMesh {
  if (input.sculpt === null) throw new InvalidInputError('BAD_OPTION', 'These levels were not made from a free sculpt, so there is nothing to project onto.'); // prettier-ignore
  return meshWithin(input.sculpt);
}
