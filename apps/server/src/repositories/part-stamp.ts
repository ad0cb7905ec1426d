import { createHash } from 'node:crypto';

/** Names what a part has now. Every change of a light mesh, its groups or its levels is a new row of a mesh, so that equal stamps are one state; undo and redo lead to a stamp that was there.
 *  @param meshIds of its levels, from the light mesh up */
export const stampOf = (meshIds: readonly string[]): string =>
  createHash('sha256').update(meshIds.join(' ')).digest('base64url').slice(0, 22);
