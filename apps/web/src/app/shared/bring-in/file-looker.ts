import { inject, Injectable } from '@angular/core';
import type { FileAt, LookedAt } from '../../workers/file-messages';
import { WorkerCalls } from '../../workers/worker-calls';
import { FILE_WORKER } from '../../workers/worker-tokens';

/** Looks into files that were dropped, in a worker. */
@Injectable({ providedIn: 'root' })
export class FileLooker {
  private readonly calls = new WorkerCalls(inject(FILE_WORKER));

  /** @throws Error with the file and what is wrong with it */
  async look(file: File): Promise<LookedAt> {
    return (await this.calls.ask<{ looked: LookedAt }>({ look: file })).looked;
  }
  /** The meshes of a zip. @throws Error with what is wrong with it */
  async unzip(zip: FileAt): Promise<readonly FileAt[]> {
    return (await this.calls.ask<{ unzipped: readonly FileAt[] }>({ unzip: zip })).unzipped;
  }
}
