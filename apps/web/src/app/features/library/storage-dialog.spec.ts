import { HttpErrorResponse } from '@angular/common/http';
import { TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import type { StorageInfo } from '@estampe/contracts';
import { provideEffects } from '@ngrx/effects';
import { provideStore } from '@ngrx/store';
import { of, throwError } from 'rxjs';
import { rendered } from '../../../../test/rendered';
import { Api } from '../../api/api';
import { freeStorage, loadStorage, storageFeature } from '../../state/storage.state';
import { StorageDialog } from './storage-dialog';

const full: StorageInfo = { databaseBytes: 4.2e9, freeableBytes: 1.3e9, removed: 1, outOfDate: 3 };
const empty: StorageInfo = { databaseBytes: 4.2e9, freeableBytes: 0, removed: 0, outOfDate: 0 };

async function opened(api: Record<'storage' | 'freeStorage', jest.Mock>) {
  TestBed.configureTestingModule({
    providers: [
      provideStore({ [storageFeature.name]: storageFeature.reducer }),
      provideEffects({ loadStorage, freeStorage }),
      { provide: Api, useValue: api },
    ],
  });
  const { loader, settle, text: said } = await rendered(StorageDialog);
  const press = async (text: RegExp): Promise<void> => {
    await (await loader.getHarness(MatButtonHarness.with({ text }))).click();
    await settle();
  };
  const canFree = async (): Promise<boolean> => (await loader.getAllHarnesses(MatButtonHarness.with({ text: /^Free/ }))).length > 0;
  await settle();
  return { press, said, canFree };
}

describe('the storage', () => {
  it('says how much can go and what that is, frees it, and says what is left', async () => {
    const api = { storage: jest.fn().mockReturnValueOnce(of(full)).mockReturnValue(of(empty)), freeStorage: jest.fn(() => of(full)) };
    const { press, said, canFree } = await opened(api);
    expect(said()).toMatch(/Database on disk ?4\.2 GB ?Nobody needs any more ?1\.3 GB/);
    expect(said()).toMatch(/1 removed asset or part, with all their maps ?3 maps out of date/);
    await press(/^Free 1\.3 GB$/);
    expect(api.freeStorage).toHaveBeenCalledTimes(1);
    expect(said()).toContain('1.3 GB freed.');
    expect(await canFree()).toBe(false);
  });

  it('says why nothing was freed, and offers it again', async () => {
    const refused = new HttpErrorResponse({ status: 409, error: { code: 'CONFLICT', message: 'There is work on the press (1 job).' } });
    const { press, said, canFree } = await opened({
      storage: jest.fn(() => of(full)),
      freeStorage: jest.fn(() => throwError(() => refused)),
    });
    await press(/^Free/);
    expect(said()).toContain('There is work on the press (1 job).');
    expect(await canFree()).toBe(true);
  });
});
