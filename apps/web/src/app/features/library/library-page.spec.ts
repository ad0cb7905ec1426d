import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatDialogHarness } from '@angular/material/dialog/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import { MatMenuHarness } from '@angular/material/menu/testing';
import { provideRouter } from '@angular/router';
import type { AssetSummary } from '@estampe/contracts';
import type { Action } from '@ngrx/store';
import { provideStore, ScannedActionsSubject, Store } from '@ngrx/store';
import { EMPTY } from 'rxjs';
import { rendered } from '../../../../test/rendered';
import { sampleAsset, sampleJob } from '../../../../test/samples';
import { Api } from '../../api/api';
import { AssetsApi, assetsFeature, LibraryPage as PageActions, RowMenu } from '../../state/assets.state';
import { PressEvents, pressFeature } from '../../state/press.state';
import { storageFeature } from '../../state/storage.state';
import { FileLooker } from '../../shared/bring-in/file-looker';
import { LibraryPage } from './library-page';

const summary = (change: Partial<AssetSummary>): AssetSummary => {
  const { id, name, production, unit, up, stackKind, lowFaces, topFaces, levels, pictureHash, createdAt } = sampleAsset();
  return { id, name, production, unit, up, stackKind, lowFaces, topFaces, levels, pictureHash, createdAt, parts: [name], ...change };
};

async function render(assets: AssetSummary[] | null) {
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      provideStore({ assets: assetsFeature.reducer, press: pressFeature.reducer, storage: storageFeature.reducer }),
      { provide: Api, useValue: { upload: () => EMPTY } },
      { provide: FileLooker, useValue: { look: () => new Promise(() => undefined) } },
    ],
  });
  const store = TestBed.inject(Store);
  const seen: string[] = [];
  const wanted: Action[] = [];
  TestBed.inject(ScannedActionsSubject).subscribe((action) => {
    seen.push(action.type);
    if (action.type === RowMenu.changeWanted.type) wanted.push(action);
  });
  const page = await rendered(LibraryPage);
  if (assets) store.dispatch(AssetsApi.listLoaded({ assets }));
  await page.settle();
  const section = (): string => page.host.querySelector('.assets')?.textContent.replace(/\s+/g, ' ').trim() ?? '';
  const drag = async (type: string, files: File[] = []): Promise<DragEvent> => {
    const event = Object.assign(new Event(type, { cancelable: true, bubbles: true }), { dataTransfer: { files } }) as unknown as DragEvent;
    page.host.dispatchEvent(event);
    await page.settle();
    return event;
  };
  return { ...page, store, seen, wanted, section, drag };
}

beforeAll(() => {
  // a page of a size, which jsdom has not
  jest.spyOn(HTMLElement.prototype, 'clientHeight', 'get').mockReturnValue(700);
  globalThis.ResizeObserver = class {
    observe = (): void => undefined;
    unobserve = (): void => undefined;
    disconnect = (): void => undefined;
  };
});
beforeEach(() => localStorage.clear());

describe('the library', () => {
  it('asks for the list when it opens, and says nothing of emptiness before the answer', async () => {
    const page = await render(null);
    expect(page.seen).toContain(PageActions.opened.type);
    expect(page.section()).toBe('');
  });

  it('leads on when there is nothing, and says what is coming while something is brought in', async () => {
    const page = await render([]);
    expect(page.section()).toBe('No assets yet. Drop a light mesh and its sculpt on this page, or either of them to begin with.');
    page.store.dispatch(PressEvents.jobMoved({ job: sampleJob({ kind: 'import', title: 'Bring in Harbour bell', stage: 'checking' }) }));
    await page.settle();
    expect(page.section()).toContain('Bring in Harbour bell: checking. It appears here when it is ready.');
  });

  const bell = summary({ id: 'a1', name: 'Harbour bell', parts: ['Harbour bell', 'Clapper'], topFaces: 327_680, createdAt: '2026-01-01' });
  const buoy = summary({ id: 'a2', name: 'Mooring buoy', levels: 5, createdAt: '2026-01-03' });
  const rope = summary({ id: 'a3', name: 'Rope', production: 'Your sculpts', stackKind: 'free', pictureHash: 'f'.repeat(64), createdAt: '2026-01-02' }); // prettier-ignore
  const names = (page: { host: HTMLElement }): string[] => [...page.host.querySelectorAll('.name')].map((n) => n.textContent);

  it('shows assets newest first, each with its picture, its size, and where it leads', async () => {
    const page = await render([bell, buoy, rope]);
    expect(names(page)).toEqual(['Mooring buoy', 'Rope', 'Harbour bell']);
    const cards = [...page.host.querySelectorAll('.assets li')];
    expect(cards.map((c) => c.querySelector('.num')?.textContent)).toEqual([
      'Tidewrack: 512 faces, 5 levels',
      'Your sculpts: 512 faces, free sculpt',
      'Tidewrack: 327\u2009680 faces, 2 parts',
    ]);
    expect(cards[1].querySelector('img')?.getAttribute('src')).toBe(`/api/pictures/${'f'.repeat(64)}`);
    expect(cards[1].querySelector('img')?.alt).toBe('The sculpt of Rope');
    expect(cards[2].querySelector('a')?.getAttribute('href')).toBe('/assets/a1/maps');
  });

  it('searches names, parts and productions, and sorts as it did at the last visit', async () => {
    const page = await render([bell, buoy, rope]);
    await page.enter('Search', 'clap tide');
    expect(names(page)).toEqual(['Harbour bell']);
    expect(page.section()).toContain('1 of 3');
    await page.enter('Search', '');
    await page.enter('Sorted by', 'faces of the sculpt');
    expect(names(page)[0]).toBe('Harbour bell');
    await page.enter('Sorted by', 'name');
    expect(names(await render([rope, buoy, bell]))).toEqual(['Harbour bell', 'Mooring buoy', 'Rope']);
  });

  it('holds hundreds: only what can be seen is there', async () => {
    const many = Array.from({ length: 400 }, (_, k) => summary({ id: `a${k}`, name: `Buoy ${k}`, createdAt: String(1000 + k) }));
    const page = await render(many);
    expect(page.section()).toContain('400 assets');
    expect(names(page)[0]).toBe('Buoy 399');
    expect(names(page).length).toBeLessThan(40);
  });

  it('takes an asset away, or renames it, from its menu', async () => {
    const page = await render([bell]);
    const menu = await page.loader.getHarness(MatMenuHarness);
    await menu.open();
    await menu.clickItem({ text: /Remove Harbour bell/ });
    await menu.open();
    await menu.clickItem({ text: /^Rename Harbour bell/ });
    const dialogs = TestbedHarnessEnvironment.documentRootLoader(page.fixture);
    const dialog = await dialogs.getHarness(MatDialogHarness);
    await (await dialog.getHarness(MatInputHarness)).setValue(' Fog bell ');
    await (await dialog.getHarness(MatButtonHarness.with({ text: 'Rename' }))).click();
    await page.settle();
    const asked = { target: 'asset', id: 'a1', name: 'Harbour bell', undoes: false };
    expect(page.wanted).toMatchObject([
      { ...asked, change: { removed: true } },
      { ...asked, change: { name: 'Fog bell' } },
    ]);
  });

  it('takes files that are dropped anywhere on it, and shows while they hang over it that it will', async () => {
    const page = await render([]);
    const main = page.host.querySelector('main') as HTMLElement;
    expect((await page.drag('dragover')).defaultPrevented).toBe(true);
    expect(main.classList.contains('dropping')).toBe(true);
    await page.drag('dragleave');
    expect(main.classList.contains('dropping')).toBe(false);
    await page.drag('drop', [new File(['v'], 'mooring_buoy.obj')]);
    expect(page.text()).toContain('mooring_buoy.obj');
    expect(await page.valueOf('Name')).toBe('mooring buoy');
    await page.drag('drop', []); // a word that was dragged is no file
    expect(page.text()).toContain('mooring_buoy.obj');
  });

  it('says what the server said', async () => {
    const page = await render(null);
    page.store.dispatch(
      AssetsApi.listFailed({ message: 'The database does not answer just now; nothing is lost, try again in a moment.' }),
    );
    await page.settle();
    expect(page.host.querySelector('[role=alert]')?.textContent).toContain('try again in a moment');
  });
});
