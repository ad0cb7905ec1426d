import { inject } from '@angular/core';
import type { JobInfo } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { concatMap, EMPTY, mergeMap, of, switchMap } from 'rxjs';
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

interface PressState {
  /** Newest first. */
  readonly jobs: readonly JobInfo[];
  /** Why the last wish was refused; null when it was not. */
  readonly message: string | null;
}

export const isOpen = ({ state }: JobInfo): boolean => state === 'running' || state === 'waiting' || state === 'paused';

const KEPT = 50;
/** A job in its place; a message that was overtaken by the job's end is dropped. */
function place(jobs: readonly JobInfo[], job: JobInfo): readonly JobInfo[] {
  const at = jobs.findIndex((j) => j.id === job.id);
  if (at < 0) return [job, ...jobs].slice(0, KEPT);
  const late = jobs[at].endedAt !== null && job.endedAt === null && job.state === 'running' && jobs[at].startedAt === job.startedAt;
  if (late) return jobs;
  return jobs.map((j, i) => (i === at ? job : j));
}

export const pressFeature = createFeature({
  name: 'press',
  reducer: createReducer<PressState>(
    { jobs: [], message: null },
    on(PressApi.jobsLoaded, (_state, { jobs }): PressState => ({ jobs, message: null })),
    on(PressPanel.jobChanged, (state): PressState => ({ ...state, message: null })),
    on(PressApi.failed, (state, { message }): PressState => ({ ...state, message })),
    on(PressEvents.jobMoved, (state, { job }): PressState => ({ ...state, jobs: place(state.jobs, job) })),
  ),
  extraSelectors: ({ selectJobs }) => ({
    selectActive: createSelector(selectJobs, (jobs) => jobs.filter(isOpen)),
  }),
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
