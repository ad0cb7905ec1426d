import { TestBed } from '@angular/core/testing';
import { Subject } from 'rxjs';
import { ServerEvents } from '../api/server-events';
import { NOTHING, PieceStore } from './piece-store';

const text = (values: number[]): string => btoa(String.fromCharCode(...new Uint8Array(Int16Array.from(values).buffer)));
const piece = (change: object = {}) => ({
  type: 'event',
  event: { type: 'piece', piece: { jobId: 'j', spanId: 's', tile: 1001, kind: 'scalar', width: 2, height: 3, y0: 1, rows: 1, range: 4, data: text([7, -9]), ...change } },
}); // prettier-ignore

describe('pieces of a map that is being measured', () => {
  it('come together by span and tile in whatever order, and what does not fit is left out', () => {
    const stream = new Subject<unknown>();
    TestBed.configureTestingModule({ providers: [{ provide: ServerEvents, useValue: { stream } }] });
    const store = TestBed.inject(PieceStore);
    expect(store.of('s').size).toBe(0);
    stream.next(piece());
    stream.next({ type: 'connected' });
    stream.next(piece({ y0: 0, data: text([1, 2]) }));
    stream.next(piece({ tile: 1002 }));
    const before = store.version();
    for (const bad of [{ y0: 3 }, { data: text([1]) }, { kind: 'unheard-of' }, { spanId: null }]) stream.next(piece(bad));
    expect(store.version()).toBe(before);
    expect([...store.of('s').keys()]).toEqual([1001, 1002]);
    expect([...(store.of('s').get(1001)?.data ?? [])]).toEqual([1, 2, 7, -9, NOTHING, NOTHING]);
    // the same tile of another size is another pass
    stream.next(piece({ width: 1, height: 2, y0: 0, rows: 2 }));
    expect([...(store.of('s').get(1001)?.data ?? [])]).toEqual([7, -9]);
    for (const spanId of ['a', 'b', 'c', 'd']) stream.next(piece({ spanId }));
    expect(store.of('s').size).toBe(0); // old ones go
  });
});
