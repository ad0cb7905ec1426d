import { TestBed } from '@angular/core/testing';
import { MatSnackBar } from '@angular/material/snack-bar';
import { provideMockActions } from '@ngrx/effects/testing';
import type { Action } from '@ngrx/store';
import type { Observable } from 'rxjs';
import { of, Subject, throwError } from 'rxjs';
import { Api } from '../api/api';
import type { RowChange } from './assets.state';
import { AssetsApi, changeRow, offerUndo, RowMenu, sayWhyNot } from './assets.state';

const removal: RowChange = { target: 'part', id: 'p2', name: 'Clapper', change: { removed: true }, undoes: false };

function set(api: object = {}) {
  const actions = new Subject<Action>();
  const pressed = new Subject<void>();
  const bar = { open: jest.fn(() => ({ onAction: () => pressed })) };
  TestBed.configureTestingModule({
    providers: [provideMockActions(() => actions), { provide: Api, useValue: api }, { provide: MatSnackBar, useValue: bar }],
  });
  const heard: Action[] = [];
  const run = (effect: () => Observable<Action>): void => {
    TestBed.runInInjectionContext(() => effect().subscribe((action) => heard.push(action)));
  };
  return { actions, pressed, bar, heard, run };
}

describe('an asset or part as a whole', () => {
  it('is changed at the server, and a refusal is said', () => {
    const asked: unknown[] = [];
    const { actions, bar, heard, run } = set({
      changePart: (...all: unknown[]) => (asked.push(all), of(undefined)),
      changeAsset: () => throwError(() => new Error('It is the only one.')),
    });
    run(changeRow);
    actions.next(RowMenu.changeWanted(removal));
    actions.next(RowMenu.changeWanted({ ...removal, target: 'asset' }));
    expect(asked).toEqual([['p2', { removed: true }]]);
    expect(heard).toEqual([AssetsApi.rowChanged(removal), AssetsApi.changeFailed({ message: 'It is the only one.' })]);
    TestBed.runInInjectionContext(() => sayWhyNot().subscribe());
    actions.next(heard[1]);
    expect(bar.open).toHaveBeenCalledWith('It is the only one.', 'Close');
  });

  it('comes back, or gets its old name back, and that is not asked about again', () => {
    const { actions, pressed, bar, heard, run } = set();
    run(offerUndo);
    actions.next(AssetsApi.rowChanged(removal));
    expect(bar.open).toHaveBeenLastCalledWith('Clapper is removed.', 'Undo');
    pressed.next();
    actions.next(AssetsApi.rowChanged({ ...removal, change: { name: 'Tongue' } }));
    expect(bar.open).toHaveBeenLastCalledWith('Clapper is called Tongue now.', 'Undo');
    pressed.next();
    expect(heard).toEqual([
      RowMenu.changeWanted({ ...removal, change: { removed: false }, undoes: true }),
      RowMenu.changeWanted({ ...removal, name: 'Tongue', change: { name: 'Clapper' }, undoes: true }),
    ]);
    actions.next(AssetsApi.rowChanged({ ...removal, undoes: true }));
    expect(bar.open).toHaveBeenCalledTimes(2);
  });
});
