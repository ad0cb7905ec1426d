import type { StackKind, UpAxis } from '@estampe/contracts';
import { importShare } from '@estampe/contracts';
import type { Finding as CoreFinding, FileBytes, MeshCheck, MeshFile, PolyMesh, RunControl } from '@estampe/core';
import {
  assembleStack,
  checkMesh,
  EstampeError,
  faceCount,
  hasCompleteUvs,
  InvalidInputError,
  levelDetail,
  packMesh,
  pairFinding,
  pointCount,
  renderClay,
  subProgress,
  throwIfAborted,
  uvFigures,
  withOriginOf,
  writePng,
} from '@estampe/core'; // prettier-ignore
import { readMesh } from '@estampe/geometry';
import { nodeZlib } from '@estampe/node';
import { lightOf } from './light-mesh';
import type { NewLevel } from '../repositories/assets';
import type { ImportedPart, ImportResult, JobInput } from './job-messages';

type Finding = ImportResult['levels'][number]['findings'][number];

const PICTURE = { width: 360, height: 240 };

/** Reads the files one after another, finds out which is the light mesh and how the others belong to it, checks it and draws its picture.
 *  One mesh by itself is taken too: its other may come later.
 *  @param fileOf gives a file, from its beginning whenever it is asked */
export async function runImport(
  { files, there, uvSet, up }: Extract<JobInput, { kind: 'import' }>,
  fileOf: (hash: string) => Promise<FileBytes>,
  control: RunControl,
): Promise<ImportResult> {
  const read: { readonly name: string; readonly mesh: PolyMesh }[] = [];
  const said: string[] = [];
  const sets = new Set<string>();
  for (const [i, { name, hash }] of files.entries()) {
    const share = subProgress(
      control,
      (importShare('finding levels') * i) / files.length,
      (importShare('finding levels') * (i + 1)) / files.length,
    );
    try {
      const { mesh, warnings, uvSets = [] } = await readOne(() => fileOf(hash), uvSet, share);
      read.push({ name, mesh });
      said.push(...warnings.map((warning) => `${name}: ${warning}`));
      for (const set of uvSets) sets.add(set);
      if (uvSets.length > 0 && (uvSet === null || !uvSets.includes(uvSet)))
        said.push(
          `${name}: it has the UV sets ${uvSets.join(', ')}; the usual one was taken. To take another, name it when you bring the file in.`,
        );
    } catch (error) {
      throw error instanceof EstampeError && error.code !== 'CANCELLED' ? error.inFile(name) : error;
    }
  }
  if (uvSet !== null && !sets.has(uvSet))
    throw new InvalidInputError(
      'BAD_OPTION',
      sets.size === 0
        ? `no file has several sets of UVs, so there is no set named ${uvSet}; leave that field empty.`
        : `no file has a set of UVs named ${uvSet}; there are ${[...sets].join(', ')}.`,
    );
  if (there !== null) read.push({ name: there.name, mesh: lightOf(there) });
  read.sort((a, b) => faceCount(a.mesh) - faceCount(b.mesh));
  const [low, ...others] = read;
  control.onProgress?.(importShare('finding levels'), 'finding levels');
  const stack = others.length === 0 ? null : assembleStack(low.mesh, others, control);
  throwIfAborted(control);
  const meshes = stack?.levels ?? [low.mesh, ...others.map((sculpt) => withOriginOf(sculpt.mesh, low.mesh))];
  const extra = [...(stack === null ? [] : renumbered(stack.reordered)), ...said.map(asFinding)];
  return { kind: 'import', ...(await partOf(meshes, stack !== null ? 'stack' : meshes.length > 1 ? 'free' : 'alone', extra, up, control)) };
}

/** Checks the meshes of a part, from the light one up, and draws its picture.
 *  @param extra what else is to be said of them */
export async function partOf(
  meshes: readonly PolyMesh[],
  stackKind: StackKind,
  extra: readonly Finding[],
  up: UpAxis,
  control: RunControl,
): Promise<ImportedPart> {
  const checks = meshes.map((mesh, k): MeshCheck => {
    const [from, to] = [importShare('checking'), importShare('drawing')];
    control.onProgress?.(from + ((to - from) * k) / meshes.length, 'checking');
    return checkMesh(k === 0 ? mesh : { ...mesh, uvs: null, faceUvs: null }, control);
  });
  throwIfAborted(control);
  const together =
    meshes.length < 2 ? [] : saidOfPair(meshes[0], meshes[meshes.length - 1], stackKind === 'stack' ? meshes.length - 1 : null);
  control.onProgress?.(importShare('drawing'), 'drawing');
  const picture = renderClay(meshes[meshes.length - 1], PICTURE.width, PICTURE.height, up);
  control.onProgress?.(importShare('storing'), 'storing');
  return {
    stackKind,
    picture: await writePng({ width: picture.width, height: picture.height, channels: 3, data: picture.rgb, description: '' }, nodeZlib),
    levels: meshes.map((mesh, k) => ({
      mesh: packMesh(mesh),
      points: pointCount(mesh),
      faces: faceCount(mesh),
      diagonal: checks[k].diagonal,
      tiles: checks[k].tiles,
      findings: [
        ...checks[k].findings.filter((f) => k === 0 || f.code !== 'no-uvs').map(asStored),
        ...(k === 0 ? together : []),
        ...(k === 0 ? extra : []),
      ],
      detail: stackKind !== 'stack' || k === 0 ? null : levelDetail(meshes[k - 1], mesh),
      colours: mesh.colors !== null,
      uv: k === 0 ? uvOf(mesh) : null,
    })),
  };
}

/** A finding of the core as it is stored. */
export const asStored = (found: CoreFinding): Finding => ({ ...found, faces: [...found.faces] });

/** What is to be said of a light mesh and its sculpt together. @param levels of one stack between them; null for a free sculpt */
export function saidOfPair(low: PolyMesh, sculpt: PolyMesh, levels: number | null): Finding[] {
  const found = pairFinding(low, sculpt, levels);
  return found === null ? [] : [asStored(found)];
}

/** A file with one of its sets of UVs, where it has that one among several. */
async function readOne(file: () => Promise<FileBytes>, uvSet: string | null, control: RunControl): Promise<MeshFile> {
  const usual = await readMesh(await file(), { control });
  return uvSet !== null && usual.uvSets?.includes(uvSet) === true ? readMesh(await file(), { control, uvSet }) : usual;
}

/** Side of the map that gaps between islands are told in. */
const UV_SIZE = 2048;
/** What the UVs of a light mesh are like; null where it has none, or not everywhere. */
export const uvOf = (mesh: PolyMesh): NewLevel['uv'] => {
  if (!hasCompleteUvs(mesh)) return null;
  const { islands, overlap, use, stretch, seamLength, smallestGap } = uvFigures(mesh, UV_SIZE);
  const finite = (x: number): number | null => (Number.isFinite(x) ? x : null);
  return { islands, overlap, use, stretch: { rms: finite(stretch.rms), p95: finite(stretch.p95) }, seamLength, smallestGap: smallestGap === null ? null : finite(smallestGap) }; // prettier-ignore
};

/** What the reader has to say of a file. */
export const asFinding = (message: string): Finding => ({ code: 'passed-over', severity: 'note', count: 1, message, faces: [] });

/** Files whose points stood in another order than subdividing gives: recognised all the same, and said. */
const renumbered = (names: readonly string[]): Finding[] =>
  names.length === 0
    ? []
    : [
        {
          code: 'points-renumbered',
          severity: 'note',
          count: names.length,
          message: `${names.join(', ')}: recognised as levels by their connectivity; their points are numbered in another order and were renumbered here.`,
          faces: [],
        },
      ];
