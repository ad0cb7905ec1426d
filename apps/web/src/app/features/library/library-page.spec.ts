import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import type { AssetSummary } from '@estampe/contracts';
import { provideStore, ScannedActionsSubject, Store } from '@ngrx/store';
import { EMPTY } from 'rxjs';
import { rendered } from '../../../../test/rendered';
import { sampleAsset, sampleJob } from '../../../../test/samples';
import { Api } from '../../api/api';
import { AssetsApi, assetsFeature, LibraryPage as PageActions } from '../../state/assets.state';
import { PressEvents, pressFeature } from '../../state/press.state';
import { LibraryPage } from './library-page';

const summary = (change: Partial<AssetSummary>): AssetSummary => {
  const { id, name, production, unit, stackKind, lowFaces, topFaces, levels, pictureHash, createdAt } = sampleAsset();
  return { id, name, production, unit, stackKind, lowFaces, topFaces, levels, pictureHash, createdAt, parts: [name], ...change };
};

async function render(assets: AssetSummary[] | null) {
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({
    providers: [
      provideRouter([]),
      provideStore({ assets: assetsFeature.reducer, press: pressFeature.reducer }),
      { provide: Api, useValue: { upload: () => EMPTY } },
    ],
  });
  const store = TestBed.inject(Store);
  const seen: string[] = [];
  TestBed.inject(ScannedActionsSubject).subscribe(({ type }) => seen.push(type));
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
  return { ...page, store, seen, section, drag };
}

describe('the library', () => {
  it('asks for the list when it opens, and says nothing of emptiness before the answer', async () => {
    const page = await render(null);
    expect(page.seen).toContain(PageActions.opened.type);
    expect(page.section()).toBe('');
  });

  it('leads on when there is nothing, and says what is coming while something is brought in', async () => {
    const page = await render([]);
    expect(page.section()).toBe('No assets yet. Drop a light mesh and its sculpt on this page.');
    page.store.dispatch(PressEvents.jobMoved({ job: sampleJob({ kind: 'import', title: 'Bring in Harbour bell', stage: 'checking' }) }));
    await page.settle();
    expect(page.section()).toBe('Bring in Harbour bell: checking. It appears here when it is ready.');
  });

  it('shows assets by production, each with its picture, its size, and where it leads', async () => {
    const page = await render([
      summary({
        id: 'a1',
        name: 'Harbour bell',
        production: 'Tidewrack',
        parts: ['Harbour bell', 'Clapper'],
        lowFaces: 1280,
        topFaces: 327_680,
      }),
      summary({ id: 'a2', name: 'Mooring buoy', production: 'Tidewrack', levels: 5 }),
      summary({ id: 'a3', name: 'Rope', production: 'Your sculpts', stackKind: 'free', pictureHash: 'f'.repeat(64) }),
    ]);
    expect([...page.host.querySelectorAll('.assets h2')].map((h) => h.textContent)).toEqual(['Tidewrack', 'Your sculpts']);
    const cards = [...page.host.querySelectorAll('.assets li')];
    expect(cards.map((c) => c.querySelector('.num')?.textContent)).toEqual([
      '1\u2009280 to 327\u2009680 faces, 2 parts',
      '8 to 512 faces, 5 levels',
      '8 to 512 faces, free sculpt',
    ]);
    expect(cards[2].querySelector('img')?.getAttribute('src')).toBe(`/api/pictures/${'f'.repeat(64)}`);
    expect(cards[2].querySelector('img')?.alt).toBe('The sculpt of Rope');
    expect(cards[0].querySelector('a')?.getAttribute('href')).toBe('/assets/a1/maps');
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
    expect(page.text()).toContain('Add the sculpt as well: an asset needs a light mesh and at least one finer mesh.');
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
