import type { ExtractSettings, ProveRequest } from '@estampe/contracts';
import { holdsDirections } from '@estampe/core';
import { proposedTolerance, toleranceLength } from '../../shared/tolerance';
import type { ProofDraft } from '../../state/proof-draft';

/** Subdivisions of a proof of a free sculpt, where no level says what would be enough. */
const FREE_SUBDIVISIONS = 4;

/** What a draft asks for: as many subdivisions as there are levels in the span unless others are chosen; the tolerance as a length, or in
 *  degrees for a normal map.
 *  @param stack whether the span lies in a stack of levels */
export function proveRequest(
  draft: ProofDraft,
  { kind, fromLevel, toLevel }: ExtractSettings,
  stack: boolean,
  diagonal: number,
): ProveRequest {
  return {
    subdivisions: draft.subdivisions ?? (stack ? toLevel - fromLevel : FREE_SUBDIVISIONS),
    tolerance: holdsDirections(kind) ? draft.degrees : toleranceLength(draft.tolerance ?? proposedTolerance(diagonal), diagonal),
  };
}
