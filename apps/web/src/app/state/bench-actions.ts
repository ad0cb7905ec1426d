import type {
  DeliverRequest,
  EncodingSettings,
  IslandEditRequest,
  JobInfo,
  LevelEditRequest,
  MeasureRequest,
  MendRequest,
  ProveRequest,
  SetGroups,
  TransferRequest,
  SpanInfo,
  UnwrapRequest,
} from '@estampe/contracts';
import { createActionGroup, emptyProps, props } from '@ngrx/store';
import type { ProofDraft } from './proof-draft';

export const Ladder = createActionGroup({
  source: 'Ladder',
  events: {
    'Span Drawn': props<{ fromLevel: number; toLevel: number }>(),
    /** A measured one; the card starts from its settings. */
    'Span Chosen': props<{ span: SpanInfo }>(),
  },
});
export const MapsCard = createActionGroup({
  source: 'Maps Card',
  events: {
    'Settings Changed': props<{ change: Partial<MeasureRequest> }>(),
    /** One pass a part; the part that is open comes last, so that its span is the one shown. */
    'Extract Pressed': props<{ assetId: string; passes: readonly { readonly partId: string; readonly settings: MeasureRequest }[] }>(),
    'Recipe Copied': props<{ partIds: readonly string[]; recipe: MeasureRequest }>(),
  },
});
export const CalibrateCard = createActionGroup({
  source: 'Calibrate Card',
  events: {
    'Encoding Changed': props<{ spanId: string; encoding: EncodingSettings }>(),
    'Undo Pressed': props<{ spanId: string }>(),
    'Redo Pressed': props<{ spanId: string }>(),
    /** What another tab saved meanwhile becomes ours; our own stays in the history. */
    'Theirs Taken': props<{ spanId: string }>(),
    /** Ours is saved over what another tab saved. */
    'Ours Kept': props<{ spanId: string }>(),
  },
});
export const ProofCard = createActionGroup({
  source: 'Proof Card',
  events: {
    'Request Changed': props<{ change: Partial<ProofDraft> }>(),
    'Prove Pressed': props<{ spanId: string; encoding: EncodingSettings; request: ProveRequest }>(),
    'Study Pressed': props<{ proofId: string }>(),
  },
});
export const DeliverCard = createActionGroup({
  source: 'Deliver Card',
  events: { 'Deliver Pressed': props<{ assetId: string; partId: string; request: DeliverRequest }>() },
});
export const SculptCard = createActionGroup({
  source: 'Sculpt Card',
  events: {
    'Low Brought In': props<{ assetId: string; partId: string; hash: string; name: string }>(),
    'Mend Pressed': props<{ assetId: string; partId: string; request: MendRequest }>(),
    'Split Pressed': props<{ partId: string }>(),
    'Groups Set': props<{ partId: string; request: SetGroups }>(),
  },
});
export const LevelsCard = createActionGroup({
  source: 'Levels Card',
  events: {
    'Transfer Pressed': props<{ partId: string; request: TransferRequest }>(),
    'Levels Edited': props<{ partId: string; edit: LevelEditRequest }>(),
  },
});
export const SheetCard = createActionGroup({
  source: 'Sheet Card',
  events: {
    'Unwrap Pressed': props<{ assetId: string; partId: string; request: UnwrapRequest }>(),
    'Islands Edited': props<{ partId: string; edit: IslandEditRequest }>(),
    /** Back or forth to a state of the light mesh. */
    'State Chosen': props<{ partId: string; place: number }>(),
  },
});
export const BenchApi = createActionGroup({
  source: 'Bench API',
  events: {
    'Job Started': props<{ job: JobInfo }>(),
    'Encoding Saved': props<{ spanId: string; version: number }>(),
    'Encoding Sent': props<{ spanId: string; encoding: EncodingSettings }>(),
    'Conflict Found': emptyProps(),
    Failed: props<{ message: string }>(),
  },
});
