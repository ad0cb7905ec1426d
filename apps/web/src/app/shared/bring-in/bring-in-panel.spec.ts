import { TestBed } from '@angular/core/testing';
import type { BringIn, Uploaded } from '@estampe/contracts';
import type { FileFacts } from '@estampe/core';
import { connectivityCount, polyMesh, refineLevels } from '@estampe/core';
import { concat, of, throwError } from 'rxjs';
import { rendered } from '../../../../test/rendered';
import { Api } from '../../api/api';
import type { FileAt, LookedAt } from '../../workers/file-messages';
import { BringInPanel } from './bring-in-panel';
import { FileLooker } from './file-looker';

const SQUARE = polyMesh({
  positions: new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]),
  faceOffsets: new Uint32Array([0, 4]),
  faceVerts: new Uint32Array([0, 1, 2, 3]),
});
const levels = [SQUARE, refineLevels(SQUARE, 1).mesh, refineLevels(SQUARE, 2).mesh];
/** A level of the square, moved aside. */
const squareAt = (level: number, x = 0): FileFacts['mesh'] => ({
  faces: 4 ** level,
  box: [x, 0, 0, x + 1, 1, 0],
  count: connectivityCount({ ...levels[level], vertCount: levels[level].positions.length / 3 }),
});
const sculpt = (faces: number, x = 0): FileFacts['mesh'] => {
  const mesh = squareAt(1, x);
  return mesh && { ...mesh, faces, count: { ...mesh.count, points: faces + 7, corners: 3 * faces } };
};
const looked = (mesh: FileFacts['mesh'], more: Partial<LookedAt> = {}): LookedAt => ({
  mesh, uvs: true, uvSets: [], scene: { metresPerUnit: null, up: null }, ...more,
}); // prettier-ignore

const at = (path: string, size = 4): FileAt => ({ path, file: new File(['v'.repeat(size)], path.split('/').at(-1) ?? path) });
const known: Record<string, LookedAt> = {};
const looker = {
  look: (f: File) => (f.name in known ? Promise.resolve(known[f.name]) : Promise.reject(new Error('torn.obj:3: a face without points.'))),
  unzip: () => Promise.resolve([at('crate/bell_low.obj'), at('crate/bell_high.obj')]),
};
const api = {
  sent: [] as string[],
  asked: [] as BringIn[],
  upload: (f: File) => {
    api.sent.push(f.name);
    const uploaded: Uploaded = { hash: f.name.padEnd(64, '0'), name: f.name, bytes: f.size };
    return concat(of({ fraction: 0.5 }), of({ uploaded }));
  },
  bringIn: (request: BringIn) => {
    api.asked.push(request);
    return of({ id: 'j1' });
  },
};

beforeEach(() => {
  localStorage.clear();
  api.sent.length = 0;
  api.asked.length = 0;
  for (const name of Object.keys(known)) delete known[name]; // eslint-disable-line @typescript-eslint/no-dynamic-delete
  Object.assign(known, { 'bell_low.obj': looked(squareAt(0)), 'bell_high.obj': looked(sculpt(90)), 'low.obj': looked(squareAt(0)), 'top.obj': looked(squareAt(2)) }); // prettier-ignore
});

async function render(inputs: Record<string, unknown> = {}, own: Partial<typeof api> = {}) {
  TestBed.configureTestingModule({
    providers: [
      { provide: Api, useValue: { ...api, ...own } },
      { provide: FileLooker, useValue: looker },
    ],
  });
  const page = await rendered(BringInPanel, inputs);
  const drop = async (...files: FileAt[]): Promise<void> => {
    await page.set({ dropped: files });
    for (let k = 0; k < 4; k++) await page.settle();
  };
  /** Files of each part. */
  const sorted = (): string[][] =>
    [...page.host.querySelectorAll('est-part-draft')].map((part) => [...part.querySelectorAll('li .name')].map((line) => line.textContent));
  return { ...page, drop, sorted };
}

describe('bringing in', () => {
  it('proposes parts: levels by their connectivity, pairs by name, and sends them as one asset', async () => {
    Object.assign(known, { 'a.obj': looked(squareAt(1, 5)), 'b.obj': looked(squareAt(2, 5)), 'rim_low.obj': looked(sculpt(20, 9)), 'rim_sculpt.obj': looked(sculpt(80, 9)) }); // prettier-ignore
    const { text, drop, sorted, valueOf, enter, press, set, host, fixture } = await render();
    await drop(
      at('harbour/rim_sculpt.obj'),
      at('harbour/b.obj'),
      at('harbour/rim_low.obj'),
      at('harbour/a.obj'),
      at('harbour/read-me.txt'),
    );
    expect(sorted()).toEqual([['rim_low.obj', 'rim_sculpt.obj'], ['a.obj', 'b.obj']]); // prettier-ignore
    expect(text()).toContain('Levels of one stack.');
    expect(text()).toContain('20 faces, UVs');
    expect(await valueOf('Name of the asset')).toBe('harbour');
    await enter('Unit of the files', 'cm');
    await enter('Up', 'Z');
    await press('Bring in 2 parts');
    expect(api.asked).toMatchObject([
      {
        name: 'harbour',
        unit: 'cm',
        up: 'z',
        parts: [
          { name: 'rim', files: [{ name: 'rim_low.obj' }, { name: 'rim_sculpt.obj' }] },
          { name: 'a', files: [{ name: 'a.obj' }, { name: 'b.obj' }] },
        ],
      },
    ]);
    expect(text()).toContain('On the press');
    // followed to where it is there
    const job = {
      id: 'j1',
      kind: 'import',
      title: 'harbour',
      state: 'running',
      stage: 'checking',
      fraction: 0.7,
      tasks: 1,
      startedAt: null,
      assetId: null,
    };
    await set({ jobs: [job] });
    expect(text()).toContain('70 %');
    expect(host.querySelector('[aria-current=step]')?.textContent).toBe('checking');
    const arrived: string[] = [];
    fixture.componentInstance.arrived.subscribe((id) => arrived.push(id));
    await set({ jobs: [{ ...job, state: 'failed', error: 'a.obj:3: no.' }] });
    expect(text()).toContain('a.obj:3: no.');
    await set({ jobs: [{ ...job, state: 'done', assetId: 'a9' }] });
    expect(arrived).toEqual(['a9']);
    expect([localStorage.getItem('estampe.unit'), localStorage.getItem('estampe.up')]).toEqual(['"cm"', '"z"']);
  });

  it('lets a file be put elsewhere or left out, and keeps that when more comes', async () => {
    const { host, drop, sorted, press, text } = await render();
    await drop(at('bell_low.obj'), at('bell_high.obj'));
    expect(sorted()).toEqual([['bell_low.obj', 'bell_high.obj']]);
    const choose = async (file: string, words: string): Promise<void> => {
      await press(`Move ${file}`);
      const items = [...host.ownerDocument.querySelectorAll<HTMLElement>('[mat-menu-item]')];
      items.find((item) => item.textContent.includes(words))?.click();
      await press('Choose files…');
    };
    await choose('bell_high.obj', 'To a part of its own');
    expect(sorted()).toEqual([['bell_low.obj'], ['bell_high.obj']]);
    expect(text()).toContain('One mesh by itself');
    await drop(at('low.obj'), at('top.obj'));
    expect(sorted()).toEqual([['bell_low.obj'], ['bell_high.obj'], ['low.obj', 'top.obj']]);
    await choose('low.obj', 'To bell_high');
    await choose('bell_high.obj', 'Leave it out');
    expect(sorted()).toEqual([['bell_low.obj'], ['low.obj'], ['top.obj']]);
  });

  it('opens a zip, takes one mesh alone, and says what three that do not fit need', async () => {
    const { drop, sorted, text, button, press } = await render();
    await drop(at('crate.zip'));
    expect(sorted()).toEqual([['bell_low.obj', 'bell_high.obj']]);
    await press('Clear');
    await drop(at('bell_high.obj'));
    expect(text()).toContain('One mesh by itself');
    expect(button('Bring in').disabled).toBe(false);
  });

  it('refuses what is no mesh or cannot be read without losing what is there', async () => {
    const { host, drop, sorted } = await render();
    await drop(at('low.obj'));
    await drop(at('top.obj'), at('notes.txt'));
    const alert = (): string => host.querySelector('[role=alert]')?.textContent ?? '';
    expect(alert()).toContain('notes.txt is not a mesh that can be read');
    expect(sorted()).toEqual([['low.obj', 'top.obj']]);
    await drop(at('empty.obj', 0));
    expect(alert()).toContain('empty.obj is empty');
    await drop(at('torn.obj'));
    expect(alert()).toContain('torn.obj:3: a face without points.');
    expect(sorted()).toEqual([['low.obj', 'top.obj']]);
  });

  it('takes unit, up axis and UV sets that files say, tells so, and leaves them to be changed', async () => {
    known['low.obj'] = looked(squareAt(0), { scene: { metresPerUnit: 0.01, up: 'z' }, uvSets: ['st', 'second'] });
    known['top.obj'] = looked(squareAt(2), { scene: { metresPerUnit: 1, up: null } });
    const { text, drop, enter, press, valueOf } = await render();
    await drop(at('low.obj'), at('top.obj'));
    expect(text()).toContain('cm, as low.obj says. top.obj says m: write all files in one unit. Z is up, as low.obj says.');
    expect([await valueOf('Unit of the files'), await valueOf('Up')]).toEqual(['cm', 'Z']);
    await enter('UV set', 'second');
    await press('Bring in');
    expect(api.asked).toMatchObject([{ unit: 'cm', up: 'z', uvSet: 'second' }]);
  });

  it('completes a part of one mesh with all that is dropped', async () => {
    const { drop, press, labels } = await render({ partOf: { id: 'a', unit: 'mm' }, completes: { id: 'p', name: 'Rim' } });
    await drop(at('top.obj'));
    expect(await labels()).toEqual([]);
    await press('Bring in');
    expect(api.asked).toMatchObject([{ assetId: 'a', partId: 'p', unit: 'mm', parts: [{ files: [{ name: 'top.obj' }] }] }]);
  });

  it('keeps the files when the server refuses, and shows its sentence', async () => {
    const { host, drop, press, sorted } = await render({}, { bringIn: () => throwError(() => new Error('The disk is full; make room.')) });
    await drop(at('low.obj'), at('top.obj'));
    await press('Bring in');
    expect(host.querySelector('[role=alert]')?.textContent).toContain('The disk is full; make room.');
    expect(sorted()).toEqual([['low.obj', 'top.obj']]);
  });
});
