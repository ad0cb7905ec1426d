import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { MatMenuModule } from '@angular/material/menu';
import type { JobInfo } from '@estampe/contracts';
import { PRIORITIES } from '@estampe/contracts';
import { Store } from '@ngrx/store';
import type { JobChange } from '../api/api';
import { isOpen, PressPanel as Actions, pressFeature } from '../state/press.state';
import { clock } from './format';
import { secondsLeft, stageWords } from './job-progress';

interface Act {
  readonly change: JobChange;
  readonly label: string;
}
const ACTS = {
  pause: { change: 'pause', label: 'Pause' },
  resume: { change: 'resume', label: 'Go on' },
  first: { change: 'first', label: 'Do next' },
  cancel: { change: 'cancel', label: 'Cancel' },
  retry: { change: 'retry', label: 'Try again' },
} as const satisfies Record<string, Act>;

/** The press: how much is running, how long it will take, and what has been done lately. */
@Component({
  selector: 'est-press-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MatMenuModule],
  template: `
    <button type="button" class="summary" [matMenuTriggerFor]="menu" [attr.aria-label]="spoken()">
      <span>the press</span>
      @if (active().length > 0) {
        <span class="num">{{ active().length }}</span>
        <span class="bar"><span [style.width.%]="100 * fraction()"></span></span>
        <span class="num">{{ left() }}</span>
      } @else {
        <span class="muted">idle</span>
      }
    </button>
    <mat-menu #menu="matMenu" class="press-menu">
      @if (message(); as text) {
        <p class="refused" role="alert">{{ text }}</p>
      }
      <div class="jobs" role="list">
        @for (job of jobs(); track job.id) {
          <div class="job" role="listitem">
            <div class="title">{{ job.title }}</div>
            <div class="state" [class.failed]="job.state === 'failed'">{{ stateOf(job) }}</div>
            <div class="acts">
              @for (act of actsOf(job); track act.change) {
                <button
                  type="button"
                  class="plain-button"
                  [attr.aria-label]="act.label + ': ' + job.title"
                  (click)="change(job, act.change, $event)"
                >
                  {{ act.label }}
                </button>
              }
              @if (isOpen(job)) {
                <select
                  [attr.aria-label]="'Priority of ' + job.title"
                  (click)="$event.stopPropagation()"
                  (keydown)="$event.stopPropagation()"
                  (change)="prioritise(job, $event)"
                >
                  @for (p of priorities; track p.name) {
                    <option [value]="p.name" [selected]="p.value === job.priority">{{ p.name }}</option>
                  }
                </select>
              }
            </div>
            @if (job.error) {
              <div class="error">{{ job.error }}</div>
            }
          </div>
        } @empty {
          <div class="job muted">Nothing has been on the press yet.</div>
        }
      </div>
    </mat-menu>
  `,
  styles: `
    .summary {
      display: flex;
      align-items: center;
      gap: 8px;
      border: 0;
      background: transparent;
      padding: 6px 8px;
      cursor: pointer;
      font-weight: 600;
    }
    .summary .muted {
      font-weight: 400;
    }
    .bar {
      width: 64px;
      height: 5px;
      background: var(--rule);
    }
    .bar span {
      display: block;
      height: 100%;
      background: var(--prussian);
    }
    .jobs {
      width: 380px;
      max-height: 420px;
      overflow: auto;
    }
    .job {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 2px 8px;
      padding: 8px 12px;
      border-bottom: 1px solid var(--rule);
      align-items: center;
    }
    .title {
      font-weight: 600;
    }
    .state {
      grid-column: 1;
      color: var(--graphite);
    }
    .state.failed {
      color: var(--madder);
    }
    .acts {
      grid-column: 1 / -1;
      display: flex;
      gap: 4px;
    }
    .acts:empty {
      display: none;
    }
    .refused {
      margin: 0;
      padding: 8px 12px;
      color: var(--madder);
    }
    .error {
      grid-column: 1 / -1;
      color: var(--madder);
      overflow-wrap: anywhere;
    }
  `,
})
export class PressPanel {
  private readonly store = inject(Store);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectJobs);
  protected readonly active = this.store.selectSignal(pressFeature.selectActive);
  protected readonly message = this.store.selectSignal(pressFeature.selectMessage);
  protected readonly priorities = (['urgent', 'normal', 'later'] as const).map((name) => ({ name, value: PRIORITIES[name] }));
  protected readonly isOpen = isOpen;
  private readonly now = signal(Date.now());
  private readonly first = computed(() => this.active().find((j) => j.state === 'running') ?? null);
  protected readonly fraction = computed(() => this.first()?.fraction ?? 0);
  /** Time left of the running job, from how fast it has come so far. */
  protected readonly left = computed(() => {
    const job = this.first();
    if (job?.startedAt == null) return 'waiting';
    const seconds = secondsLeft(job, this.now());
    return seconds === null ? '…' : clock(seconds);
  });
  protected readonly spoken = computed(() =>
    this.active().length === 0
      ? 'The press is idle; open the list of jobs'
      : `The press: ${this.active().length} jobs, ${Math.round(100 * this.fraction())} percent; open the list`,
  );

  constructor() {
    const timer = window.setInterval(() => {
      if (this.active().length > 0) this.now.set(Date.now());
    }, 500);
    inject(DestroyRef).onDestroy(() => window.clearInterval(timer));
  }

  protected stateOf({ state, fraction, stage, startedAt, endedAt, tasks, tasksDone }: JobInfo): string {
    const tiles = tasks > 1 ? `, ${tasksDone} of ${tasks} tiles done` : '';
    if (state === 'running') return `${Math.round(100 * fraction)} %, ${stageWords(stage)}${tiles}`;
    if (state === 'paused') return `paused at ${Math.round(100 * fraction)} %${tiles}`;
    if (state === 'done' && startedAt && endedAt) return `done in ${clock((Date.parse(endedAt) - Date.parse(startedAt)) / 1000)}`;
    return state;
  }
  protected actsOf(job: JobInfo): readonly Act[] {
    const waits = job.state === 'waiting' || (job.state === 'running' && job.tasksDone + 1 < job.tasks);
    const others = this.active().length > 1;
    return [
      ...(job.state === 'paused' ? [ACTS.resume] : waits ? [ACTS.pause] : []),
      ...(waits && others ? [ACTS.first] : []),
      ...(isOpen(job) ? [ACTS.cancel] : job.state === 'done' ? [] : [ACTS.retry]),
    ];
  }
  protected change(job: JobInfo, change: JobChange, event: Event): void {
    event.stopPropagation();
    this.store.dispatch(Actions.jobChanged({ jobId: job.id, change }));
  }
  protected prioritise(job: JobInfo, event: Event): void {
    const found = this.priorities.find((p) => p.name === (event.target as HTMLSelectElement).value);
    if (found) this.change(job, found.name, event);
  }
}
