import { LiveAnnouncer } from '@angular/cdk/a11y';
import { TestBed } from '@angular/core/testing';
import type { JobInfo } from '@estampe/contracts';
import { provideStore, Store } from '@ngrx/store';
import { Actions, provideEffects } from '@ngrx/effects';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import * as pressEffects from '../state/press.state';
import { PressApi, PressEvents, pressFeature } from '../state/press.state';
import { PressPanel } from './press-panel';

const job = (id: string, change: Partial<JobInfo> = {}): JobInfo => ({
  id, kind: 'extract', title: `Extract ${id}`, state: 'running', fraction: 0.5, stage: 'measure-band', error: null, assetId: null, partId: null, spanId: null,
  priority: 0, tasks: 1, tasksDone: 0,
  createdAt: '2026-01-01T00:00:00Z', startedAt: new Date(Date.now() - 20_000).toISOString(), endedAt: null, ...change,
}); // prettier-ignore

async function render(api: Partial<Record<'jobs' | 'changeJob', unknown>> = {}) {
  const stream = new Subject<unknown>();
  TestBed.configureTestingModule({
    providers: [
      provideStore({ [pressFeature.name]: pressFeature.reducer }),
      provideEffects({
        listen: pressEffects.listen,
        loadJobs: pressEffects.loadJobs,
        changeJob: pressEffects.changeJob,
        announceEnd: pressEffects.announceEnd,
      }),
      { provide: Api, useValue: api },
      { provide: ServerEvents, useValue: { stream } },
    ],
  });
  const store = TestBed.inject(Store);
  const seen: string[] = [];
  TestBed.inject(Actions).subscribe((a: { type: string }) => seen.push(a.type));
  const fixture = TestBed.createComponent(PressPanel);
  await fixture.whenStable();
  const host = fixture.nativeElement as HTMLElement;
  const summary = host.querySelector('button') as HTMLButtonElement;
  const list = (): HTMLElement[] => [...document.querySelectorAll<HTMLElement>('.jobs li')];
  return { fixture, store, stream, seen, summary, list };
}

describe('the press', () => {
  it('is idle without jobs, and says so', async () => {
    const { fixture, summary, list } = await render();
    expect(summary.textContent).toContain('idle');
    expect(summary.getAttribute('aria-label')).toBe('The press is idle; open the list of jobs');
    summary.click();
    await fixture.whenStable();
    expect(list().map((l) => l.textContent.trim())).toEqual(['Nothing has been on the press yet.']);
  });

  it('says aloud what has ended, once', async () => {
    const { store } = await render();
    const said = jest.spyOn(TestBed.inject(LiveAnnouncer), 'announce').mockResolvedValue();
    const ended = job('a', { state: 'done', endedAt: '2026-01-01T00:01:05Z' });
    for (const j of [job('a'), ended, ended]) store.dispatch(PressEvents.jobMoved({ job: j }));
    store.dispatch(PressEvents.jobMoved({ job: job('b', { state: 'failed', error: 'No faces.', endedAt: '2026-01-01T00:01:05Z' }) }));
    expect(said.mock.calls.map(([words]) => words)).toEqual(['Extract a: done', 'Extract b: No faces.']);
  });

  it('shows how many, how far and how long: what runs, what waits, what has ended and how', async () => {
    const { fixture, store, summary, list } = await render();
    const jobs = [
      job('new'),
      job('next', { state: 'waiting', startedAt: null, fraction: 0 }),
      job('done', { state: 'done', startedAt: '2026-01-01T00:00:00Z', endedAt: '2026-01-01T00:01:05Z' }),
      job('bad', { state: 'failed', error: 'The sculpt has no faces.', endedAt: '2026-01-01T00:01:05Z' }),
    ];
    store.dispatch(PressApi.jobsLoaded({ jobs }));
    await fixture.whenStable();
    expect((fixture.nativeElement as HTMLElement).textContent).toMatch(/0:(19|20|21).*2/s);
    expect(summary.getAttribute('aria-label')).toBe('The press: 2 jobs, 50 percent; open the list');
    summary.click();
    await fixture.whenStable();
    const texts = list().map((l) => l.textContent.replace(/\s+/g, ' ').trim());
    expect(texts[0]).toMatch(/^Extract new ?50 %, .*Cancel ?urgent ?normal ?later$/);
    expect(texts[1]).toMatch(/waiting ?Pause ?Do next ?Cancel /);
    expect(texts[2]).toMatch(/^Extract done ?done in 1:05$/);
    expect(texts[3]).toMatch(/^Extract bad ?failed ?Try again ?The sculpt has no faces\.$/);
  });

  it('cancels through the server, and keeps the list right when messages overtake each other', async () => {
    const ended = job('new', { state: 'cancelled', endedAt: '2026-01-01T00:00:30Z' });
    const { fixture, store, stream, seen, summary, list } = await render({ jobs: () => of([ended]), changeJob: () => of(ended) });
    const running = job('new', { startedAt: ended.startedAt });
    stream.next({ type: 'event', event: { type: 'job', job: running } });
    await fixture.whenStable();
    summary.click();
    await fixture.whenStable();
    list()[0].querySelector('button')?.click();
    await fixture.whenStable();
    expect(store.selectSignal(pressFeature.selectActive)()).toEqual([]);
    // a progress that was on its way when the job ended
    stream.next({ type: 'event', event: { type: 'job', job: { ...running, fraction: 0.6 } } });
    expect(store.selectSignal(pressFeature.selectAll)()[0].state).toBe('cancelled');
    // run again after its worker died: a new start counts
    stream.next({ type: 'event', event: { type: 'job', job: { ...running, startedAt: '2026-01-01T00:02:00Z' } } });
    expect(store.selectSignal(pressFeature.selectActive)()).toHaveLength(1);
    stream.next({ type: 'connected' });
    stream.next({ type: 'event', event: { type: 'asset', assetId: 'a' } });
    expect(seen).toEqual(expect.arrayContaining([PressEvents.connected.type, PressApi.jobsLoaded.type, PressEvents.assetChanged.type]));
    expect(store.selectSignal(pressFeature.selectAll)()).toEqual([ended]);
  });

  it('holds back, orders and tries again through the server, offering only what can be done, and shows a refusal', async () => {
    const asked: string[] = [];
    const answer = (id: string, change: string) => {
      asked.push(`${id} ${change}`);
      return change === 'retry'
        ? throwError(() => new Error('Nothing of it has failed.'))
        : of(job(id, { state: 'paused', fraction: 0.25, tasks: 4, tasksDone: 1 }));
    };
    const { fixture, store, summary, list } = await render({ changeJob: answer });
    store.dispatch(PressApi.jobsLoaded({ jobs: [job('tiles', { tasks: 4, tasksDone: 1 }), job('bad', { state: 'failed', endedAt: '2026-01-01T00:01:05Z' })] })); // prettier-ignore
    summary.click();
    await fixture.whenStable();
    const press = async (row: number, label: string): Promise<void> => {
      [...list()[row].querySelectorAll('button')].find((b) => b.textContent.trim() === label)?.click();
      await fixture.whenStable();
    };
    expect(list()[0].textContent).toContain('1 of 4 tiles done');
    await press(0, 'Pause');
    expect(list()[0].textContent).toMatch(/paused at 25 %.*Go on/s);
    await press(0, 'urgent');
    await press(1, 'Try again');
    expect(asked).toEqual(['tiles pause', 'tiles urgent', 'bad retry']);
    expect(document.querySelector('.refused')?.textContent).toBe('Nothing of it has failed.');
  });

  it('goes on when the server does not answer', async () => {
    const { stream, seen } = await render({ jobs: () => throwError(() => new Error('gone')) });
    stream.next({ type: 'connected' });
    stream.next({ type: 'connected' });
    expect(seen.filter((t) => t === PressApi.failed.type)).toHaveLength(2);
  });
});
