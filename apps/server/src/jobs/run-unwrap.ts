import type { UnwrapRequest } from '@estampe/contracts';
import type { PolyMesh, RunControl } from '@estampe/core';
import { checkMesh, packMesh, relayRungs, subProgress, unpackMesh, unwrapAround } from '@estampe/core';
import { lightOf } from './light-mesh';
import type { JobInput, LowResult } from './job-messages';
import { asStored, uvOf } from './run-import';

const TITLES: Readonly<Record<UnwrapRequest['seams'], string>> = {
  auto: 'unwrapped',
  groups: 'unwrapped by groups',
  picked: 'unwrapped along picked seams',
};

/** Gives the light mesh of a part new UVs, and its levels with it. */
export function runUnwrap({ rungs, request, ...light }: Extract<JobInput, { kind: 'unwrap' }>, control: RunControl): LowResult {
  const { seams, edges, keep, ...options } = request;
  const along = seams === 'picked' ? Uint32Array.from(edges) : seams;
  const { mesh, addedSeams } = unwrapAround(lightOf(light), keep, { ...options, seams: along }, subProgress(control, 0, 0.9));
  const added =
    addedSeams === 0
      ? []
      : [{ code: 'seams-added', severity: 'note' as const, count: addedSeams, message: `${addedSeams} edges were cut besides, for a part that is closed or covers itself cannot lie flat.`, faces: [] }]; // prettier-ignore
  return {
    kind: 'low',
    title: TITLES[seams],
    level: lightLevel(mesh, added, subProgress(control, 0.9, 0.95)),
    rungs: relaid(mesh, rungs, subProgress(control, 0.95, 1)),
  };
}

/** A light mesh as it is stored, with what the check says of it and what there is to say besides. */
export function lightLevel(mesh: PolyMesh, added: LowResult['level']['findings'], control: RunControl): LowResult['level'] {
  const { points, faces, diagonal, tiles, findings } = checkMesh(mesh, control);
  return {
    mesh: packMesh(mesh),
    points, faces, diagonal, tiles,
    findings: [...findings.map(asStored), ...added],
    detail: null,
    colours: mesh.colors !== null,
    uv: uvOf(mesh),
  }; // prettier-ignore
}

/** Levels of a stack with the UVs of their new light mesh, packed. */
export const relaid = (low: PolyMesh, rungs: readonly Uint8Array[], control: RunControl): Uint8Array[] =>
  relayRungs(low, rungs.map(unpackMesh), control).map(packMesh);
