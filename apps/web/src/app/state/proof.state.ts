import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import { pixelsPerUnit, proposedShot, proposedTolerance, toleranceLength } from '../shared/tolerance';
import { assetsFeature } from './assets.state';
import { ProofCard } from './bench-actions';
import { calibrateFeature, sameEncoding } from './calibrate.state';
import { mapsFeature } from './maps.state';
import type { ProofDraft } from './proof-draft';

/** The slice of the step Proof: what the next proof is asked with. */
interface ProofState {
  readonly draft: ProofDraft;
}

export const proofFeature = createFeature({
  name: 'proof',
  reducer: createReducer<ProofState>(
    { draft: { subdivisions: null, tolerance: null, degrees: null } },
    on(ProofCard.requestChanged, (state, { change }): ProofState => ({ draft: { ...state.draft, ...change } })),
  ),
  extraSelectors: ({ selectDraft }) => ({
    /** Length that a proof must keep to; null where none is asked for. */
    selectTolerance: createSelector(selectDraft, assetsFeature.selectOpen, ({ tolerance }, asset) =>
      toleranceLength(tolerance ?? proposedTolerance(asset?.diagonal ?? 1), asset?.diagonal ?? 1),
    ),
    /** Of the shot that the asset is made for; null while none is open. */
    selectPixelsPerUnit: createSelector(selectDraft, assetsFeature.selectOpen, ({ tolerance }, asset) =>
      asset === null ? null : pixelsPerUnit(tolerance?.shot ?? proposedShot(asset.diagonal)),
    ),
    /** The newest proof of the chosen span, and whether its encoding is still the current one. */
    selectProof: createSelector(mapsFeature.selectSpan, calibrateFeature.selectHistory, (span, history) => {
      const proof = span?.proofs[0] ?? null;
      if (proof === null) return null;
      const now = history?.present;
      return { proof, current: now !== undefined && sameEncoding(now, proof.encoding) && span?.outOfDate === false };
    }),
  }),
});
