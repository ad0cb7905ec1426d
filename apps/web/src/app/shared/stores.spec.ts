import { TestBed } from '@angular/core/testing';
import type { FieldInfo } from '@estampe/contracts';
import { sampleEncoding, sampleField } from '../../../test/samples';
import type { FieldSample } from '@estampe/core';
import { BLOCK_WORKER, FIELD_WORKER, MESH_WORKER } from '../workers/worker-tokens';
import { FieldBlocks } from './field-blocks';
import { FieldStore } from './field-store';
import { MeshStore } from './mesh-store';

interface Asked {
  readonly id: number;
  readonly type?: string;
  readonly url?: string;
  readonly fieldId?: string;
  readonly use?: string;
  readonly sample?: FieldSample;
  readonly fieldIds?: readonly string[];
}
/** A worker that notes what it is asked, and answers when the test says so. */
class FakeWorker {
  onmessage: (event: { data: object }) => void = () => undefined;
  onerror: (event: { message: string }) => void = () => undefined;
  readonly asked: Asked[] = [];
  postMessage(request: Asked): void {
    this.asked.push(request);
  }
  answer(at: number, reply: object): void {
    this.onmessage({ data: { id: this.asked[at].id, ...reply } });
  }
}
const spawned: FakeWorker[] = [];
const spawn = (): FakeWorker => {
  const worker = new FakeWorker();
  spawned.push(worker);
  return worker;
};
beforeEach(() => {
  spawned.length = 0;
  TestBed.configureTestingModule({
    providers: [
      { provide: FIELD_WORKER, useValue: spawn },
      { provide: MESH_WORKER, useValue: spawn },
    ],
  });
});
const [a, b] = ['a', 'b'].map((id) => sampleField({ id }));
const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 0));

describe('the store of the fields', () => {
  it('starts its worker with the first question, loads each field once, and hands every answer to who asked', async () => {
    const store = TestBed.inject(FieldStore);
    expect(spawned).toHaveLength(0);
    const [first, again, other] = [store.load(a), store.load(a), store.load(b)];
    const [worker] = spawned;
    expect(worker.asked.map((a) => [a.type, a.url])).toEqual([
      ['load', '/api/fields/a/data'],
      ['load', '/api/fields/b/data'],
    ]);
    worker.answer(1, { answer: 'field b' }); // in whatever order
    worker.answer(0, { answer: 'field a' });
    expect(await Promise.all([first, again, other])).toEqual(['field a', 'field a', 'field b']);
  });

  it('loads what is needed before it asks for figures of it', async () => {
    const store = TestBed.inject(FieldStore);
    const figures = store.figures([a, b], sampleEncoding());
    const [worker] = spawned;
    expect(worker.asked.map((a) => a.type)).toEqual(['load', 'load']);
    worker.answer(0, { answer: {} });
    await settle();
    expect(worker.asked).toHaveLength(2); // the other is still missing
    worker.answer(1, { answer: {} });
    await settle();
    expect(worker.asked[2].type).toBe('figures');
    worker.answer(2, { answer: 'figures' });
    expect(await figures).toBe('figures');
  });

  it('takes the spread that came with the field while the channels lie in plain order', async () => {
    const store = TestBed.inject(FieldStore);
    const [plain, turned] = [store.spread(a, ''), store.spread(a, 'R=+V G=+U B=+N')];
    spawned[0].answer(0, { answer: { histogram: 'as measured' } });
    expect(await plain).toBe('as measured');
    await settle();
    expect(spawned[0].asked.map((a) => a.type)).toEqual(['load', 'spread']);
    spawned[0].answer(1, { answer: 'as stored' });
    expect(await turned).toBe('as stored');
  });

  it('asks again after a failure, and says what the worker said', async () => {
    const store = TestBed.inject(FieldStore);
    const failed = store.load(a);
    spawned[0].answer(0, { message: 'The field could not be loaded.' });
    await expect(failed).rejects.toThrow('The field could not be loaded.');
    await settle();
    const second = store.load(a);
    spawned[0].answer(1, { answer: 'here' });
    expect(await second).toBe('here');
  });

  it('goes on with a new worker when one has ended, and loads again what that one held', async () => {
    const store = TestBed.inject(FieldStore);
    const held = store.load(a);
    spawned[0].answer(0, { answer: 'field' });
    await held;
    const lens = store.lens([a], sampleEncoding());
    await settle();
    spawned[0].onerror({ message: '' });
    await expect(lens).rejects.toThrow('A worker of the page ended; load the page again.');
    expect(store.loadedIds().size).toBe(0);
    void store.lens([a], sampleEncoding());
    await settle();
    expect(spawned).toHaveLength(2);
    expect(spawned[1].asked.map((a) => a.type)).toEqual(['load']);
  });
});

describe('fields of film size', () => {
  const large = (id: string, side: number): FieldInfo => sampleField({ id, width: side, height: side, bytes: 1000 });

  it('are sampled, all tiles alike, where a map does not fit into memory', async () => {
    const store = TestBed.inject(FieldStore);
    const tiles = Array.from({ length: 40 }, (_, i) => large(`t${i}`, 8192));
    void store.fit(tiles, { depth: '16', fit: 'symmetric', midpoint: null, axes: '', each: false });
    const [{ asked }] = spawned;
    expect(asked.map((a) => [a.type, a.fieldId])).toEqual(tiles.map((t) => ['sample', t.id]));
    expect(new Set(asked.map((a) => a.sample?.every))).toEqual(new Set([160]));
  });

  it('stay here whole when a sample that was asked for before them fails', async () => {
    const store = TestBed.inject(FieldStore);
    const tiles = [large('a', 8192), large('b', 8192)];
    const sampled = store.figures(tiles, sampleEncoding());
    const whole = store.load(tiles[0]);
    const [worker] = spawned;
    expect(worker.asked.map((q) => [q.type, q.fieldId])).toEqual([['sample', 'a'], ['sample', 'b'], ['load', 'a']]); // prettier-ignore
    worker.answer(2, { answer: 'whole' });
    await whole;
    worker.answer(0, { message: 'The field could not be loaded.' });
    worker.answer(1, { answer: {} });
    await Promise.allSettled([sampled]);
    expect(store.load(tiles[0])).toBe(whole);
    expect([...store.loadedIds()].sort()).toEqual(['a', 'b']);
  });

  it('are let go when others are asked about, what was asked about last at last', async () => {
    const store = TestBed.inject(FieldStore);
    const look = async (id: string): Promise<void> => {
      void store.figures([large(id, 4000)], sampleEncoding());
      const [worker] = spawned;
      for (; answered < worker.asked.length; answered++) {
        worker.answer(answered, { answer: {} });
        await settle();
      }
    };
    let answered = 0;
    await look('a');
    await look('b');
    await look('a');
    expect(spawned[0].asked.filter((q) => q.type === 'forget')).toEqual([]);
    await look('c');
    const gone = spawned[0].asked.filter((q) => q.type === 'forget').map((q) => q.fieldIds);
    expect(gone).toEqual([['b']]);
    expect([...store.loadedIds()]).toEqual(['a', 'c']);
  });

  it('are marked without being loaded', () => {
    void TestBed.inject(FieldStore).marks(large('t', 8192), null);
    expect(spawned[0].asked).toMatchObject([{ type: 'marks', fieldId: 't', url: '/api/fields/t/data', bytes: 1000 }]);
  });
});

describe('blocks of large fields', () => {
  it('stay while a view shows them, however many; then those that were not looked at for longest go', async () => {
    jest.useFakeTimers();
    const asked: number[] = [];
    const worker = {
      onmessage: null as ((event: { data: unknown }) => void) | null,
      postMessage({ id, x }: { id: number; x: number }) {
        asked.push(x);
        void Promise.resolve().then(() => this.onmessage?.({ data: { id, answer: { x } } }));
      },
    };
    TestBed.configureTestingModule({ providers: [{ provide: BLOCK_WORKER, useValue: () => worker }] });
    const blocks = TestBed.inject(FieldBlocks);
    const look = (from: number, to: number): number => {
      let there = 0;
      for (let x = from; x < to; x++) if (blocks.block('f', 0, x, 0) !== null) there++;
      return there;
    };
    const arrive = () => jest.advanceTimersByTimeAsync(50);
    expect(look(0, 400)).toBe(0);
    await arrive();
    expect(look(0, 400)).toBe(400); // more than are kept, and none is asked for again
    expect(asked).toHaveLength(400);
    // the view moves on: the first are let go, the last 100 are still looked at
    look(300, 500);
    await arrive();
    expect(look(300, 501)).toBe(200);
    await arrive();
    expect(look(300, 501)).toBe(201);
    expect(asked).toHaveLength(501);
    look(0, 1);
    expect(asked).toHaveLength(502);
    jest.useRealTimers();
  });
});

describe('the store of the meshes', () => {
  it('keeps the last few, apart by what they are used for', async () => {
    const store = TestBed.inject(MeshStore);
    void store.level('m0');
    void store.light('m0');
    void store.sheeted('m0');
    void store.level('m0');
    void store.proof({ meshHash: 'h1', errorsHash: 'h2' }, 2);
    const [worker] = spawned;
    expect(worker.asked.map((a) => [a.url, a.use])).toEqual([
      ['/api/meshes/m0/data', 'plain'],
      ['/api/meshes/m0/data', 'light'],
      ['/api/meshes/m0/data', 'sheeted'],
      ['/api/blobs/h1', 'plain'],
    ]);
    const shown = store.level('m0');
    worker.answer(0, { mesh: 'drawn' });
    expect(await shown).toBe('drawn');
    for (let k = 1; k < 9; k++) void store.level(`m${k}`);
    const before = worker.asked.length;
    void store.level('m8'); // still there
    expect(worker.asked).toHaveLength(before);
    void store.level('m0'); // the oldest had to go
    expect(worker.asked).toHaveLength(before + 1);
  });
});
