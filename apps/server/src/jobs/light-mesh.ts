import type { GroupsInfo } from '@estampe/contracts';
import type { PolyMesh } from '@estampe/core';
import { faceCount, groupsOfRuns, unpackMesh, withGroups } from '@estampe/core';

/** The light mesh of a part on its way into a thread. */
export interface PackedLight {
  readonly before: Uint8Array;
  /** Made here; null for those that the mesh itself has. */
  readonly groups: GroupsInfo | null;
}

/** Unpacks a light mesh with its groups. */
export function lightOf({ before, groups }: PackedLight): PolyMesh {
  const mesh = unpackMesh(before);
  return groups === null ? mesh : withGroups(mesh, groupsOfRuns(groups, faceCount(mesh)));
}
