import type { MeshCheck, PolyMesh, RunControl } from '@estampe/core';
import {
  checkMesh, EstampeError, faceCount, InvalidInputError, levelDetail, levelsBetween, packMesh, pointCount, readObj, refineLevels, renderClay, requireUvs, subProgress, throwIfAborted, writePng,
} from '@estampe/core'; // prettier-ignore
import { nodeZlib } from '@estampe/node';
import type { ImportResult, JobInput } from './job-messages';

const PICTURE = { width: 360, height: 240 };

/** Reads the files, finds out which is the light mesh and how the others belong to it, checks it and draws its picture. */
export async function runImport({ files }: Extract<JobInput, { kind: 'import' }>, control: RunControl): Promise<ImportResult> {
  const read = files.map(({ name, bytes }, i) => {
    try {
      return { name, mesh: readObj(bytes, subProgress(control, (0.6 * i) / files.length, (0.6 * (i + 1)) / files.length)).mesh };
    } catch (error) {
      throw error instanceof EstampeError && error.code !== 'CANCELLED' ? error.inFile(name) : error;
    }
  });
  read.sort((a, b) => faceCount(a.mesh) - faceCount(b.mesh));
  const [low, ...others] = read;
  requireUvs(low.mesh, low.name);
  const levels = stackOf(low.mesh, others, control);
  throwIfAborted(control);
  const meshes = levels ?? [low.mesh, others[0].mesh];
  const checks = meshes.map((mesh, k): MeshCheck => {
    control.onProgress?.(0.65 + (0.2 * k) / meshes.length, 'checking');
    return checkMesh(k === 0 ? mesh : { ...mesh, uvs: null, faceUvs: null }, control);
  });
  throwIfAborted(control);
  control.onProgress?.(0.9, 'drawing');
  const picture = renderClay(meshes[meshes.length - 1], PICTURE.width, PICTURE.height);
  return {
    kind: 'import',
    stackKind: levels === null ? 'free' : 'stack',
    picture: await writePng({ width: picture.width, height: picture.height, channels: 3, data: picture.rgb, description: '' }, nodeZlib),
    levels: meshes.map((mesh, k) => ({
      mesh: packMesh(mesh),
      points: pointCount(mesh),
      faces: faceCount(mesh),
      diagonal: checks[k].diagonal,
      tiles: checks[k].tiles,
      findings: checks[k].findings.filter((f) => k === 0 || f.code !== 'no-uvs').map((f) => ({ ...f, faces: f.faces.slice(0, 200) })),
      detail: levels === null || k === 0 ? null : levelDetail(meshes[k - 1], mesh),
    })),
  };
}

/** All rungs of a stack: those given, and between them the refined base with the points of the next level above (each old point keeps
 *  the place it has there). Null when the one other file is a free sculpt.
 *  @throws InvalidInputError NOT_A_STACK naming the file that fits nowhere */
function stackOf(
  low: PolyMesh,
  others: readonly { readonly name: string; readonly mesh: PolyMesh }[],
  control: RunControl,
): PolyMesh[] | null {
  const given = new Map<number, PolyMesh>();
  for (const { name, mesh } of others) {
    throwIfAborted(control);
    const k = levelsBetween(low, mesh);
    if (k === null && others.length === 1) return null;
    if (k === null || k === 0 || given.has(k))
      throw new InvalidInputError(
        'NOT_A_STACK',
        `${name} is not a level of the light mesh (its connectivity differs, or that level is there already); bring in the light mesh with its levels, or with one free sculpt.`,
        { file: name },
      );
    given.set(k, mesh);
  }
  const top = Math.max(...given.keys());
  const levels: PolyMesh[] = [low];
  let above = low;
  const reversed: PolyMesh[] = [];
  for (let k = top; k >= 1; k--) {
    const mesh = given.get(k);
    if (mesh) above = mesh;
    else {
      const refined = refineLevels({ ...low, uvs: null, faceUvs: null }, k).mesh;
      above = { ...refined, positions: above.positions.slice(0, refined.positions.length) };
    }
    reversed.push(above);
  }
  return [...levels, ...reversed.reverse()];
}
