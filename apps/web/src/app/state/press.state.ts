import { inject } from '@angular/core';
import type { JobInfo } from '@estampe/contracts';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mapResponse } from '@ngrx/operators';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { concatMap, map, switchMap } from 'rxjs';
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
export const PressPanel = createActionGroup({ source: 'Press Panel', events: { 'Job Cancelled': props<{ jobId: string }>() } });
export const PressApi = createActionGroup({
  source: 'Press API',
  events: { 'Jobs Loaded': props<{ jobs: JobInfo[] }>(), Failed: props<{ message: string }>() },
});

interface PressState {
  /** Newest first. */
  readonly jobs: readonly JobInfo[];
}

const KEPT = 50;
/** A job in its place; a message that was overtaken by the job's end is dropped. */
function place(jobs: readonly JobInfo[], job: JobInfo): readonly JobInfo[] {
  const at = jobs.findIndex((j) => j.id === job.id);
  if (at < 0) return [job, ...jobs].slice(0, KEPT);
  if (jobs[at].endedAt !== null && job.endedAt === null && jobs[at].startedAt === job.startedAt) return jobs;
  return jobs.map((j, i) => (i === at ? job : j));
}

export const pressFeature = createFeature({
  name: 'press',
  reducer: createReducer<PressState>(
    { jobs: [] },
    on(PressApi.jobsLoaded, (_state, { jobs }): PressState => ({ jobs })),
    on(PressEvents.jobMoved, (state, { job }): PressState => ({ jobs: place(state.jobs, job) })),
  ),
  extraSelectors: ({ selectJobs }) => ({
    selectActive: createSelector(selectJobs, (jobs) => jobs.filter((j) => j.state === 'running' || j.state === 'waiting')),
  }),
});

export const listen = createEffect(
  (events = inject(ServerEvents)) =>
    events.stream.pipe(
      map((item) => {
        if (item.type === 'connected') return PressEvents.connected();
        return item.event.type === 'job'
          ? PressEvents.jobMoved({ job: item.event.job })
          : PressEvents.assetChanged({ assetId: item.event.assetId });
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

export const cancelJob = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(PressPanel.jobCancelled),
      concatMap(({ jobId }) =>
        api
          .cancel(jobId)
          .pipe(mapResponse({ next: (job) => PressEvents.jobMoved({ job }), error: (e) => PressApi.failed({ message: sentenceOf(e) }) })),
      ),
    ),
  { functional: true },
);
