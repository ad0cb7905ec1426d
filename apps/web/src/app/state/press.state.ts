import { LiveAnnouncer } from '@angular/cdk/a11y';
import { inject } from '@angular/core';
import type { JobInfo } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import type { EntityState } from '@ngrx/entity';
import { createEntityAdapter } from '@ngrx/entity';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { concatMap, distinct, EMPTY, filter, mergeMap, of, switchMap, tap } from 'rxjs';
import type { JobChange } from '../api/api';
import { Api, sentenceOf } from '../api/api';
import { ServerEvents } from '../api/server-events';

export const PressEvents = createActionGroup({
  source: 'Press Events',
  events: {
    Connected: emptyProps(),
    'Job Moved': props<{ job: JobInfo }>(),
    'Asset Changed': props<{ assetId: string }>(),
  },
});
export const PressPanel = createActionGroup({
  source: 'Press Panel',
  events: { 'Job Changed': props<{ jobId: string; change: JobChange }>() },
});
export const PressApi = createActionGroup({
  source: 'Press API',
  events: { 'Jobs Loaded': props<{ jobs: JobInfo[] }>(), Failed: props<{ message: string }>() },
});

/** Newest first. */
const jobs = createEntityAdapter<JobInfo>({ sortComparer: (a, b) => b.createdAt.localeCompare(a.createdAt) });
interface PressState {
  readonly jobs: EntityState<JobInfo>;
  /** Why the last wish was refused; null when it was not. */
  readonly message: string | null;
}

export const isOpen = ({ state }: JobInfo): boolean => state === 'running' || state === 'waiting' || state === 'paused';

const KEPT = 50;
/** A job in its place; a message that was overtaken by the job's end is dropped. */
function place(state: EntityState<JobInfo>, job: JobInfo): EntityState<JobInfo> {
  const known = state.entities[job.id];
  const late =
    known !== undefined && known.endedAt !== null && job.endedAt === null && job.state === 'running' && known.startedAt === job.startedAt;
  if (late) return state;
  const next = jobs.upsertOne(job, state);
  return jobs.removeMany((next.ids as string[]).slice(KEPT), next);
}

export const pressFeature = createFeature({
  name: 'press',
  reducer: createReducer<PressState>(
    { jobs: jobs.getInitialState(), message: null },
    on(PressApi.jobsLoaded, (state, { jobs: all }): PressState => ({ jobs: jobs.setAll(all, state.jobs), message: null })),
    on(PressPanel.jobChanged, (state): PressState => ({ ...state, message: null })),
    on(PressApi.failed, (state, { message }): PressState => ({ ...state, message })),
    on(PressEvents.jobMoved, (state, { job }): PressState => ({ ...state, jobs: place(state.jobs, job) })),
  ),
  extraSelectors: ({ selectJobs }) => {
    const selectAll = createSelector(selectJobs, jobs.getSelectors().selectAll);
    return { selectAll, selectActive: createSelector(selectAll, (all) => all.filter(isOpen)) };
  },
});

export const listen = createEffect(
  (events = inject(ServerEvents)) =>
    events.stream.pipe(
      // pieces are arrays, which never enter the store
      mergeMap((item) => {
        if (item.type === 'connected') return of(PressEvents.connected());
        if (item.event.type === 'job') return of(PressEvents.jobMoved({ job: item.event.job }));
        return item.event.type === 'asset' ? of(PressEvents.assetChanged({ assetId: item.event.assetId })) : EMPTY;
      }),
    ),
  { functional: true },
);

export const loadJobs = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(PressEvents.connected),
      switchMap(() =>
        api
          .jobs()
          .pipe(mapResponse({ next: (jobs) => PressApi.jobsLoaded({ jobs }), error: (e) => PressApi.failed({ message: sentenceOf(e) }) })),
      ),
    ),
  { functional: true },
);

export const changeJob = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(PressPanel.jobChanged),
      concatMap(({ jobId, change }) =>
        api
          .changeJob(jobId, change)
          .pipe(mapResponse({ next: (job) => PressEvents.jobMoved({ job }), error: (e) => PressApi.failed({ message: sentenceOf(e) }) })),
      ),
    ),
  { functional: true },
);

/** What has ended is said aloud, wherever one is. */
export const announceEnd = createEffect(
  (actions = inject(Actions), announcer = inject(LiveAnnouncer)) =>
    actions.pipe(
      ofType(PressEvents.jobMoved),
      filter(({ job }) => job.endedAt !== null),
      distinct(({ job }) => `${job.id} ${String(job.endedAt)}`),
      tap(({ job }) => void announcer.announce(job.error === null ? `${job.title}: ${job.state}` : `${job.title}: ${job.error}`)),
    ),
  { functional: true, dispatch: false },
);
