import { inject } from '@angular/core';
import { MEASURE_DEFAULTS, measureSchema } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatLatestFrom } from '@ngrx/operators';
import { Store } from '@ngrx/store';
import { tap } from 'rxjs';
import * as z from 'zod';
import { remember, remembered } from '../shared/remembered';
import { toleranceSchema } from '../shared/tolerance';
import { MapsCard, ProofCard } from './bench-actions';
import { mapsFeature, PROPOSED_SETTINGS } from './maps.state';
import { proofFeature } from './proof.state';

const SETTINGS_KEY = 'estampe.measure';
const DRAFT_KEY = 'estampe.proof';

const draftSchema = z.object({
  // that no verdict was wanted holds for one visit
  tolerance: toleranceSchema.nullable().transform((t) => (t?.value == null ? null : t)),
  degrees: z.number().positive().nullable(),
});

/** What the bench starts with: settings and tolerances of the last visit. Levels, tiles and reach belong to an asset and are not kept. */
export const rememberedSettings = () => ({
  ...remembered(SETTINGS_KEY, measureSchema, PROPOSED_SETTINGS),
  fromLevel: 0,
  toLevel: MEASURE_DEFAULTS.toLevel,
  reach: null,
  tiles: null,
});
export const rememberedDraft = () => ({
  ...remembered(DRAFT_KEY, draftSchema, { tolerance: null, degrees: null }),
  subdivisions: null,
});

export const rememberBench = createEffect(
  (actions = inject(Actions), store = inject(Store)) =>
    actions.pipe(
      ofType(MapsCard.settingsChanged, ProofCard.requestChanged),
      concatLatestFrom(() => [store.select(mapsFeature.selectSettings), store.select(proofFeature.selectDraft)]),
      tap(([, settings, { tolerance, degrees }]) => {
        remember(SETTINGS_KEY, settings);
        remember(DRAFT_KEY, { tolerance, degrees });
      }),
    ),
  { functional: true, dispatch: false },
);

/** State to start the store with. */
export const rememberedBench = () => ({
  maps: { ...mapsFeature.reducer(undefined, { type: 'start' }), settings: rememberedSettings() },
  proof: { draft: rememberedDraft() },
});
