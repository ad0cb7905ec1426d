import { HttpErrorResponse } from '@angular/common/http';
import { LiveAnnouncer } from '@angular/cdk/a11y';
import { Clipboard } from '@angular/cdk/clipboard';
import { TestBed } from '@angular/core/testing';
import type { JobInfo } from '@estampe/contracts';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { KERNELS } from '@estampe/core';
import * as z from 'zod';
import { rendered } from '../../../test/rendered';
import { isConflict, sentenceOf } from '../api/api';
import { rememberedDraft, rememberedSettings } from '../state/bench-memory';
import { Figures } from './figures';
import { activeJob, failureOf, JobProgress, secondsLeft, stageWords } from './job-progress';
import { refusalOf } from './mesh-files';
import { remember, remembered } from './remembered';
import { Room } from './room';
import { proposedTolerance, pixelsPerUnit, toleranceLength } from './tolerance';

const job = (change: Partial<JobInfo> = {}): JobInfo =>
  ({
    id: 'j',
    kind: 'proof',
    state: 'running',
    fraction: 0.25,
    stage: 'closest-distances',
    error: null,
    startedAt: '2026-01-01T00:00:00Z',
    ...change,
  }) as JobInfo;

beforeEach(() => localStorage.clear());

it('has words for every loop of the core', () => {
  for (const name of KERNELS.keys()) expect(stageWords(name)).not.toBe(name);
});

describe('what the browser remembers', () => {
  it('comes back as it was, and is forgotten when it makes no sense any more', () => {
    const schema = z.object({ size: z.number() });
    remember('k', { size: 5 });
    expect(remembered('k', schema, { size: 1 })).toEqual({ size: 5 });
    remember('k', { size: 'large' });
    expect(remembered('k', schema, { size: 1 })).toEqual({ size: 1 });
    localStorage.setItem('k', '{broken');
    expect(remembered('k', schema, { size: 1 })).toEqual({ size: 1 });
  });
  it('is the settings and tolerances of the last visit, without what belongs to an asset', () => {
    remember('estampe.measure', { ...MEASURE_DEFAULTS, size: 4096, fromLevel: 2, toLevel: 3, reach: 7, matchSeams: true });
    expect(rememberedSettings()).toMatchObject({ size: 4096, matchSeams: true, fromLevel: 0, toLevel: 1, reach: null });
    const tolerance = { ...proposedTolerance(1000), value: 0.25 };
    remember('estampe.proof', { tolerance, degrees: 2 });
    expect(rememberedDraft()).toEqual({ subdivisions: null, tolerance, degrees: 2 });
    remember('estampe.proof', { tolerance: { ...tolerance, value: -1 }, degrees: 2 });
    expect(rememberedDraft().tolerance).toBeNull();
    remember('estampe.proof', { tolerance: { ...tolerance, value: null }, degrees: 2 }); // no verdict was wanted: for one visit
    expect(rememberedDraft()).toEqual({ subdivisions: null, tolerance: null, degrees: 2 });
  });
  it('is the room', () => {
    const room = TestBed.inject(Room);
    expect(document.documentElement.dataset['room']).toBe('light');
    room.change();
    expect(document.documentElement.dataset['room']).toBe('dark');
    TestBed.resetTestingModule();
    expect(TestBed.inject(Room).dark()).toBe(true);
  });
});

describe('a tolerance', () => {
  const shot = { name: '', imageWidth: 4096, focalLength: 50, sensorWidth: 36, distance: 2000 };
  it('is a length in any of its units', () => {
    expect(pixelsPerUnit(shot)).toBeCloseTo((4096 * 50) / 36 / 2000, 12);
    expect(toleranceLength({ value: 0.2, unit: 'units', shot }, 1000)).toBe(0.2);
    expect(toleranceLength({ value: 0.2, unit: 'percent', shot }, 1000)).toBeCloseTo(2, 12);
    expect(toleranceLength({ value: 1, unit: 'pixels', shot }, 1000)).toBeCloseTo(0.3516, 4);
    expect(toleranceLength({ value: null, unit: 'pixels', shot }, 1000)).toBeNull();
  });
  it('doubles with the distance and halves with the focal length', () => {
    const one = toleranceLength({ value: 1, unit: 'pixels', shot }, 1) ?? 0;
    expect(toleranceLength({ value: 1, unit: 'pixels', shot: { ...shot, distance: 4000 } }, 1)).toBeCloseTo(2 * one, 12);
    expect(toleranceLength({ value: 1, unit: 'pixels', shot: { ...shot, focalLength: 100 } }, 1)).toBeCloseTo(one / 2, 12);
  });
});

describe('a job on its way', () => {
  const start = Date.parse('2026-01-01T00:00:00Z');
  it('tells the time left only when it can be told', () => {
    expect(secondsLeft(job(), start + 10_000)).toBeCloseTo(30, 9);
    expect(secondsLeft(job({ fraction: 0.01 }), start + 10_000)).toBeNull();
    expect(secondsLeft(job({ startedAt: null }), start)).toBeNull();
  });
  it('is found while it runs, and its failure when it has failed; only the newest counts', () => {
    const jobs = [job({ id: 'new', state: 'failed', error: 'no room' }), job({ id: 'old', state: 'running' })];
    expect(activeJob(jobs, (j) => j.kind === 'proof')).toBeNull();
    expect(failureOf(jobs, (j) => j.kind === 'proof')).toBe('no room');
    expect(failureOf([job({ state: 'cancelled' })], () => true)).toMatch(/nothing was written/);
    expect(failureOf([job({ state: 'done' })], () => true)).toBeNull();
    expect(activeJob([job({ state: 'waiting' })], () => true)?.id).toBe('j');
  });
  it('shows how far, in words, and can be stopped', async () => {
    const fixture = TestBed.createComponent(JobProgress);
    fixture.componentRef.setInput('job', job());
    const stopped: string[] = [];
    fixture.componentInstance.stopped.subscribe((id) => stopped.push(id));
    await fixture.whenStable();
    const host = fixture.nativeElement as HTMLElement;
    expect(host.textContent).toMatch(/25 %.*measuring distances/s);
    host.querySelector('button')?.click();
    expect(stopped).toEqual(['j']);
    expect(stageWords('')).toBe('starting');
  });
});

describe('figures', () => {
  it('are copied as text that a spreadsheet takes, and that is said', async () => {
    const rows = [{ name: 'RMS', cells: ['0.03', { text: '0.7', bad: true }] }];
    const page = await rendered(Figures, { head: ['', 'proof', 'without'], rows, copyable: true });
    const copy = jest.spyOn(TestBed.inject(Clipboard), 'copy').mockReturnValue(true);
    const said = jest.spyOn(TestBed.inject(LiveAnnouncer), 'announce').mockResolvedValue();
    await page.press('Copy these figures');
    expect(copy).toHaveBeenCalledWith('\tproof\twithout\nRMS\t0.03\t0.7');
    expect(said).toHaveBeenCalledWith('Figures copied');
  });
});

describe('refusals', () => {
  const file = (name: string, size: number): File => Object.defineProperty(new File([], name), 'size', { value: size });
  it('say in one sentence why a file cannot be brought in', () => {
    expect(refusalOf(file('a.OBJ', 10))).toBeNull();
    expect(refusalOf(file('a.fbx', 10))).toMatch(/^a\.fbx is not a mesh that can be read/);
    expect(refusalOf(file('a.obj', 3 * 1024 ** 3))).toMatch(/larger than 2 GiB/);
    expect(refusalOf(file('a.obj', 0))).toMatch(/is empty/);
  });
  it('of the server go to the screen as they are; silence is explained', () => {
    const answer = (status: number, error: unknown) => new HttpErrorResponse({ status, error });
    expect(sentenceOf(answer(409, { code: 'CONFLICT', message: 'Changed.' }))).toBe('Changed.');
    expect(isConflict(answer(409, { code: 'CONFLICT', message: 'Changed.' }))).toBe(true);
    expect(isConflict(answer(409, { code: 'NOT_READY', message: 'Not yet.' }))).toBe(false);
    expect(isConflict(new Error('CONFLICT'))).toBe(false);
    expect(sentenceOf(answer(0, null))).toMatch(/server does not answer.*Nothing is lost/);
  });
});
