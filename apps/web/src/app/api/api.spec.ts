import { HttpErrorResponse, HttpEventType, provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { MEASURE_DEFAULTS } from '@estampe/contracts';
import { firstValueFrom, toArray } from 'rxjs';
import { sampleAsset, sampleEncoding, sampleJob } from '../../../test/samples';
import { Api, isConflict, sentenceOf } from './api';
import type { StreamItem } from './server-events';
import { ServerEvents } from './server-events';

const id = (k: number): string => `00000000-0000-4000-8000-00000000000${k}`;
const job = sampleJob({ id: id(1), assetId: id(2), spanId: null });

describe('the API as the page uses it', () => {
  let api: Api;
  let http: HttpTestingController;
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: [provideHttpClient(), provideHttpClientTesting()] });
    [api, http] = [TestBed.inject(Api), TestBed.inject(HttpTestingController)];
  });
  afterEach(() => http.verify());

  it.each([
    ['an asset', () => api.asset(id(2), null), 'GET', `/api/assets/${id(2)}`],
    ['a part of an asset', () => api.asset(id(2), id(3)), 'GET', `/api/assets/${id(2)}?part=${id(3)}`],
    ['a pass', () => api.extract(id(2), id(3), MEASURE_DEFAULTS), 'POST', `/api/assets/${id(2)}/spans?part=${id(3)}`],
    [
      'a light mesh',
      () => api.bringLowAgain(id(2), id(3), 's0', { hash: '', name: '' }),
      'POST',
      `/api/assets/${id(2)}/low?part=${id(3)}&seen=s0`,
    ],
    [
      'a delivery',
      () => api.deliver(id(2), id(3), { proofIds: [], withSculpt: false }),
      'POST',
      `/api/assets/${id(2)}/deliveries?part=${id(3)}`,
    ],
    ['a recipe of a part', () => api.keepRecipe(id(3), MEASURE_DEFAULTS), 'PUT', `/api/parts/${id(3)}/recipe`],
    ['a proof', () => api.prove(id(4), sampleEncoding(), { subdivisions: 2, tolerance: null }), 'POST', `/api/spans/${id(4)}/proofs`],
    ['a closer look', () => api.study(id(5)), 'POST', `/api/proofs/${id(5)}/study`],
    ['an end', () => api.changeJob(id(1), 'cancel'), 'POST', `/api/jobs/${id(1)}/cancel`],
    ['another place', () => api.changeJob(id(1), 'first'), 'POST', `/api/jobs/${id(1)}/first`],
    ['another priority', () => api.changeJob(id(1), 'urgent'), 'PUT', `/api/jobs/${id(1)}/priority`],
    ['a usual recipe', () => api.useRecipe(id(4), id(6)), 'PUT', `/api/assets/${id(4)}/usual-recipe`],
    ['a recipe less', () => api.removeRecipe(id(6)), 'DELETE', `/api/recipes/${id(6)}`],
  ] as const)('asks for %s at its address', (_what, call, method, url) => {
    call().subscribe({ error: () => undefined });
    const { request } = http.expectOne(url);
    expect(request.method).toBe(method);
  });

  it('tells how far an upload is, then what has arrived', async () => {
    const steps = firstValueFrom(api.upload(new File(['abcd'], 'a b.obj')).pipe(toArray()));
    const sent = http.expectOne('/api/uploads?name=a%20b.obj');
    sent.event({ type: HttpEventType.UploadProgress, loaded: 1, total: 4 });
    sent.event({ type: HttpEventType.Sent });
    sent.flush({ hash: 'f'.repeat(64), name: 'a b.obj', bytes: 4 });
    expect(await steps).toEqual([{ fraction: 0.25 }, { uploaded: { hash: 'f'.repeat(64), name: 'a b.obj', bytes: 4 } }]);
  });

  it('trusts no answer: what is not as agreed is an error, not a half-empty screen', async () => {
    const asked = firstValueFrom(api.asset(id(2), null));
    http.expectOne(`/api/assets/${id(2)}`).flush({ ...sampleAsset({ id: id(2) }), diagonal: 'long' });
    await expect(asked).rejects.toThrow(/diagonal/);
    const jobs = firstValueFrom(api.jobs());
    http.expectOne('/api/jobs').flush([job]);
    expect(await jobs).toEqual([job]);
  });

  it('puts every failure into one sentence', () => {
    const answer = (status: number, error: unknown): HttpErrorResponse => new HttpErrorResponse({ status, error });
    const said = { code: 'CONFLICT', message: 'Bell has a part named Clapper; give this one another name.' };
    expect(sentenceOf(answer(409, said))).toBe(said.message);
    expect(isConflict(answer(409, said))).toBe(true);
    expect(isConflict(answer(404, { ...said, code: 'NOT_FOUND' }))).toBe(false);
    expect(isConflict(new Error('CONFLICT'))).toBe(false);
    expect(sentenceOf(answer(0, new ProgressEvent('error')))).toMatch(/The server does not answer.*Nothing is lost/);
    expect(sentenceOf(new Error('Stopped.'))).toBe('Stopped.');
    expect(sentenceOf('odd')).toBe('odd');
  });
});

describe('what the server sends by itself', () => {
  class FakeSource {
    static last: FakeSource;
    closed = false;
    private readonly listeners = new Map<string, (event: { data: string }) => void>();
    constructor(readonly url: string) {
      FakeSource.last = this;
    }
    addEventListener(type: string, listener: (event: { data: string }) => void): void {
      this.listeners.set(type, listener);
    }
    close(): void {
      this.closed = true;
    }
    send(type: string, data: unknown): void {
      this.listeners.get(type)?.({ data: JSON.stringify(data) });
    }
  }

  it('is one connection for all who listen, announces each reconnection, passes over what it does not know, and ends with the last', () => {
    Object.assign(globalThis, { EventSource: FakeSource });
    const { stream } = TestBed.inject(ServerEvents);
    const heard: StreamItem[] = [];
    const first = stream.subscribe((item) => heard.push(item));
    const source = FakeSource.last;
    const second = stream.subscribe();
    expect(FakeSource.last).toBe(source);
    source.send('open', null);
    source.send('job', { type: 'job', job });
    source.send('job', { type: 'job', job: { ...job, state: 'lost' } });
    source.send('asset', { type: 'asset', assetId: id(2) });
    expect(heard.map((item) => (item.type === 'event' ? item.event.type : item.type))).toEqual(['connected', 'job', 'asset']);
    first.unsubscribe();
    expect(source.closed).toBe(false);
    second.unsubscribe();
    expect(source.closed).toBe(true);
  });
});
