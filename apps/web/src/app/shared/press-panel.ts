import { A11yModule } from '@angular/cdk/a11y';
import type { ConnectedPosition } from '@angular/cdk/overlay';
import { OverlayModule } from '@angular/cdk/overlay';
import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatProgressBarModule } from '@angular/material/progress-bar';
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
  imports: [A11yModule, MatButtonModule, MatButtonToggleModule, MatProgressBarModule, OverlayModule],
  template: `
    <!-- before the button, so that it stays where it is when the last job ends -->
    @if (active().length > 0) {
      <mat-progress-bar mode="determinate" aria-label="The running job" [value]="100 * fraction()" />
      <span class="num">{{ left() }}</span>
    }
    <button
      matButton
      type="button"
      cdkOverlayOrigin
      #origin="cdkOverlayOrigin"
      aria-haspopup="dialog"
      [attr.aria-expanded]="opened()"
      [attr.aria-label]="spoken()"
      (click)="opened.set(!opened())"
    >
      <span class="summary">
        <strong>the press</strong>
        <span [class]="active().length > 0 ? 'num' : 'muted'">{{ active().length || 'idle' }}</span>
      </span>
    </button>
    <ng-template
      cdkConnectedOverlay
      cdkConnectedOverlayHasBackdrop
      cdkConnectedOverlayBackdropClass="cdk-overlay-transparent-backdrop"
      [cdkConnectedOverlayOrigin]="origin"
      [cdkConnectedOverlayOpen]="opened()"
      [cdkConnectedOverlayPositions]="below"
      (backdropClick)="opened.set(false)"
      (detach)="opened.set(false)"
    >
      <div class="jobs" role="dialog" aria-label="The press: all jobs" cdkTrapFocus cdkTrapFocusAutoCapture tabindex="-1">
        @if (message(); as text) {
          <p class="refused" role="alert">{{ text }}</p>
        }
        <ul>
          @for (job of jobs(); track job.id) {
            <li>
              <div class="title">{{ job.title }}</div>
              <div class="state" [class.failed]="job.state === 'failed'">{{ stateOf(job) }}</div>
              <div class="acts">
                @for (act of actsOf(job); track act.change) {
                  <button
                    matButton="outlined"
                    type="button"
                    [attr.aria-label]="act.label + ': ' + job.title"
                    (click)="change(job, act.change)"
                  >
                    {{ act.label }}
                  </button>
                }
                @if (isOpen(job)) {
                  <mat-button-toggle-group
                    [attr.aria-label]="'Priority of ' + job.title"
                    [value]="job.priority"
                    (change)="prioritise(job, $event.value)"
                  >
                    @for (p of priorities; track p.name) {
                      <mat-button-toggle [value]="p.value">{{ p.name }}</mat-button-toggle>
                    }
                  </mat-button-toggle-group>
                }
              </div>
              @if (job.error) {
                <div class="error">{{ job.error }}</div>
              }
            </li>
          } @empty {
            <li class="muted">Nothing has been on the press yet.</li>
          }
        </ul>
      </div>
    </ng-template>
  `,
  styles: `
    .summary {
      display: flex;
      align-items: center;
      gap: 8px;
    }
    .summary span {
      min-width: 26px;
      text-align: left;
    }
    :host {
      display: flex;
      align-items: center;
      gap: 6px;
    }
    mat-progress-bar {
      width: 56px;
    }
    .jobs {
      width: 400px;
      max-height: 420px;
      overflow: auto;
      background: var(--leaf);
      border: 1px solid var(--ink);
    }
    ul {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li {
      display: grid;
      gap: 2px;
      padding: 8px 12px;
      border-bottom: 1px solid var(--rule);
    }
    .title {
      font-weight: 600;
    }
    .state {
      color: var(--graphite);
    }
    .state.failed {
      color: var(--madder);
    }
    .acts {
      display: flex;
      flex-wrap: wrap;
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
      color: var(--madder);
      overflow-wrap: anywhere;
    }
  `,
})
export class PressPanel {
  private readonly store = inject(Store);
  protected readonly jobs = this.store.selectSignal(pressFeature.selectAll);
  protected readonly active = this.store.selectSignal(pressFeature.selectActive);
  protected readonly message = this.store.selectSignal(pressFeature.selectMessage);
  protected readonly priorities = (['urgent', 'normal', 'later'] as const).map((name) => ({ name, value: PRIORITIES[name] }));
  protected readonly isOpen = isOpen;
  protected readonly opened = signal(false);
  protected readonly below: ConnectedPosition[] = [{ originX: 'end', originY: 'bottom', overlayX: 'end', overlayY: 'top', offsetY: 8 }];
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
  protected change(job: JobInfo, change: JobChange): void {
    this.store.dispatch(Actions.jobChanged({ jobId: job.id, change }));
  }
  protected prioritise(job: JobInfo, priority: number): void {
    const found = this.priorities.find((p) => p.value === priority);
    if (found) this.change(job, found.name);
  }
}
