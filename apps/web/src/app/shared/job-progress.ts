import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, output, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import type { JobInfo } from '@estampe/contracts';
import { clock } from './format';

/** Names of the core's loops, in words for people; other stages are words already. */
const STAGES: Readonly<Record<string, string>> = {
  'ball-means': 'averaging curvature',
  'closest-distances': 'measuring distances',
  'compared-places': 'preparing',
  'count-texels': 'counting texels',
  'exr-block': 'writing',
  'facing-figures': 'comparing',
  'gather-leaves': 'building the search tree',
  'grow-tree': 'building the search tree',
  'measure-band': 'measuring texels',
  'measure-seams': 'measuring along seams',
  'pad-part': 'padding',
  'point-normals': 'preparing',
  'prepare-side': 'preparing',
  'project-points': 'projecting on the sculpt',
  'thin-points': 'finding the reach',
  'two-way-figures': 'comparing',
};
export const stageWords = (stage: string): string => STAGES[stage] ?? (stage || 'starting');

/** Seconds that a running job still needs, from how fast it has come so far; null while that cannot be told. */
export function secondsLeft({ startedAt, fraction }: JobInfo, now: number): number | null {
  if (startedAt === null || fraction < 0.04) return null;
  return (((now - Date.parse(startedAt)) / 1000) * (1 - fraction)) / fraction;
}

/** The newest job of a kind for a span or an asset, while it waits or runs. */
export const activeJob = (jobs: readonly JobInfo[], wanted: (job: JobInfo) => boolean): JobInfo | null => {
  const job = jobs.find(wanted);
  return job?.state === 'running' || job?.state === 'waiting' || job?.state === 'paused' ? job : null;
};
/** What went wrong with the newest job of a kind; null when nothing did. */
export function failureOf(jobs: readonly JobInfo[], wanted: (job: JobInfo) => boolean): string | null {
  const job = jobs.find(wanted);
  return job?.state === 'failed' ? job.error : job?.state === 'cancelled' ? 'Cancelled; nothing was written.' : null;
}

/** A job under way: how far, how long still, and a way to stop it. */
@Component({
  selector: 'est-job-progress',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatButtonModule, MatProgressBarModule],
  template: `
    <mat-progress-bar mode="determinate" [value]="100 * job().fraction" [attr.aria-label]="label()" />
    <span class="num">{{ percent() }}</span>
    <span role="status">{{ words() }}{{ left() }}</span>
    <button matButton="outlined" type="button" (click)="stopped.emit(job().id)">Cancel</button>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 6px 10px;
      align-items: center;
      margin: 10px 0;
    }
  `,
})
export class JobProgress {
  readonly job = input.required<JobInfo>();
  readonly label = input('Progress');
  readonly stopped = output<string>();
  private readonly now = signal(Date.now());
  protected readonly percent = computed(() => `${Math.round(100 * this.job().fraction)} %`);
  protected readonly words = computed(() => {
    const { state, stage, tasks, tasksDone } = this.job();
    const tiles = tasks > 1 ? `, ${tasksDone} of ${tasks} tiles done` : '';
    return `${state === 'waiting' ? 'waiting for the press' : state === 'paused' ? 'paused; go on in the press' : stageWords(stage)}${tiles}`;
  });
  protected readonly left = computed(() => {
    const seconds = this.job().state === 'running' ? secondsLeft(this.job(), this.now()) : null;
    return seconds === null ? '' : `, ${clock(seconds)} left`;
  });

  constructor() {
    const timer = window.setInterval(() => this.now.set(Date.now()), 500);
    inject(DestroyRef).onDestroy(() => window.clearInterval(timer));
  }
}
