import type { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import type { MendRequest } from '@estampe/contracts';
import type { MendName } from '@estampe/core';
import { MeshStore } from '../../shared/mesh-store';
import { MendPreview } from '../../shared/mend-preview';
import type { DrawnMesh } from '../../workers/mesh-messages';
import { MendOffer } from './mend-offer';

const drawn = { positions: new Float32Array(0) } as DrawnMesh;

async function render(name: MendName, counts: (amount: number | null) => number) {
  const tried: MendRequest[] = [];
  const meshes = {
    tryMend: (_: string, request: MendRequest) => {
      tried.push(request);
      const n = counts(request.amount);
      return Promise.resolve({ count: n, points: [20, 20 - n], faces: [12, 12], drawn });
    },
  };
  TestBed.configureTestingModule({ providers: [{ provide: MeshStore, useValue: meshes }] });
  const fixture = TestBed.createComponent(MendOffer);
  fixture.componentRef.setInput('name', name);
  fixture.componentRef.setInput('meshId', 'm');
  fixture.componentRef.setInput('unit', 'mm');
  const mended: MendRequest[] = [];
  fixture.componentInstance.mended.subscribe((request) => mended.push(request));
  const loader: HarnessLoader = TestbedHarnessEnvironment.loader(fixture);
  const press = async (text: string): Promise<void> => {
    await (await loader.getHarness(MatButtonHarness.with({ text }))).click();
    await fixture.whenStable();
  };
  const type = async (text: string): Promise<void> => {
    const field = await loader.getHarness(MatInputHarness);
    await field.setValue(text);
    await field.blur();
    await fixture.whenStable();
  };
  return { loader, press, type, tried, mended, host: fixture.nativeElement as HTMLElement };
}

describe('a mend', () => {
  it('says what it would do, follows its amount, and is done only when asked', async () => {
    const { press, type, tried, mended, host } = await render('weld', (amount) => (amount === null ? 4 : 1));
    expect(tried).toEqual([]);
    await press('Weld ...');
    expect(host.textContent).toContain('4 points welded; 20 points become 16, all 12 faces stay: shown on the Stage. Undo brings it back.');
    await type('0.5');
    expect(host.textContent).toContain('1 point welded; 20 points become 19');
    expect([tried.at(-1), mended]).toEqual([{ mend: 'weld', amount: 0.5 }, []]);
    const preview = TestBed.inject(MendPreview);
    expect([preview.of('m'), preview.of('another')]).toEqual([drawn, null]);
    await press('Weld');
    expect([mended, preview.of('m')]).toEqual([[{ mend: 'weld', amount: 0.5 }], null]);
  });
  it('offers nothing that would change nothing, and takes a share in percent', async () => {
    const { loader, press, type, tried, host } = await render('drop-pieces', () => 0);
    await press('Leave out crumbs ...');
    expect(host.textContent).toContain('That would change nothing.');
    expect(await (await loader.getHarness(MatButtonHarness.with({ text: 'Leave out crumbs' }))).isDisabled()).toBe(true);
    await type('5');
    expect(tried.at(-1)).toEqual({ mend: 'drop-pieces', amount: 0.05 });
    await type('200');
    expect(host.textContent).toContain('a share between 0 and 1');
    await press('Leave it');
    expect(host.textContent.trim()).toBe('Leave out crumbs ...');
  });
});
