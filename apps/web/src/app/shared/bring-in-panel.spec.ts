import { TestBed } from '@angular/core/testing';
import type { BringIn, Uploaded } from '@estampe/contracts';
import { concat, of, throwError } from 'rxjs';
import { Api } from '../api/api';
import { LowAgain } from '../features/sculpt/low-again';
import { rendered } from '../../../test/rendered';
import { BringInPanel } from './bring-in-panel';

const file = (name: string, size = 4): File => new File(['v'.repeat(size)], name);
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
    return of({});
  },
};

beforeEach(() => {
  localStorage.clear();
  api.sent.length = 0;
  api.asked.length = 0;
});

async function render(own: Partial<typeof api> = {}) {
  TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { ...api, ...own } }] });
  const page = await rendered(BringInPanel);
  const drop = (...files: File[]): Promise<void> => page.set({ dropped: files });
  const listed = (): string[] => [...page.host.querySelectorAll('li span:first-child')].map((line) => line.textContent);
  return { ...page, drop, listed };
}

describe('bringing in a sculpt', () => {
  it('gathers what is dropped, one file a name, names the asset, and asks for the second mesh', async () => {
    const { host, drop, button, listed, valueOf, press } = await render();
    await drop(file('harbour-bell_low.obj'));
    expect(host.textContent).toContain('Add the sculpt as well');
    expect(button('Bring in').disabled).toBe(true);
    expect(await valueOf('Name')).toBe('harbour bell low');
    await drop(file('top.obj'), file('harbour-bell_low.obj', 9));
    expect(listed()).toEqual(['top.obj', 'harbour-bell_low.obj']);
    expect(button('Bring in').disabled).toBe(false);
    await press('Clear');
    expect(listed()).toEqual([]);
  });

  it('refuses what is no mesh without losing what is there', async () => {
    const { host, drop, listed } = await render();
    await drop(file('low.obj'));
    await drop(file('top.obj'), file('notes.txt'));
    expect(host.querySelector('[role=alert]')?.textContent).toContain('notes.txt is not a mesh that can be read');
    expect(listed()).toEqual(['low.obj']);
    await drop(file('empty.obj', 0));
    expect(host.querySelector('[role=alert]')?.textContent).toContain('empty.obj is empty');
  });

  it('takes the unit that a file says, tells so, and leaves it to be changed', async () => {
    const { host, drop, enter, press, valueOf, settle } = await render();
    await drop(new File(['#usda 1.0\n(\n    metersPerUnit = 0.01\n)\ndef Mesh "m" {}\n'], 'low.usda'), file('top.obj'));
    for (let k = 0; k < 20 && !host.textContent.includes('says'); k++) await settle();
    expect(host.textContent).toContain('cm, as low.usda says');
    expect(await valueOf('Unit of the files')).toBe('cm');
    await enter('UV set, where a file has several', 'second');
    await press('Bring in');
    expect(api.asked).toMatchObject([{ unit: 'cm', uvSet: 'second' }]);
  });

  it('sends all files, then one request with the unit that is remembered', async () => {
    const { host, drop, enter, press } = await render();
    await drop(file('low.obj'), file('top.obj'));
    await enter('Unit of the files', 'cm');
    await press('Bring in');
    expect(api.sent).toEqual(['low.obj', 'top.obj']);
    expect(api.asked).toMatchObject([{ name: 'low', unit: 'cm', files: [{ name: 'low.obj' }, { name: 'top.obj' }] }]);
    expect(host.querySelector('[role=status]')?.textContent).toContain('On the press');
    expect(localStorage.getItem('estampe.unit')).toBe('"cm"');
  });

  it('keeps the files when the server refuses, and shows its sentence', async () => {
    const { host, drop, press, listed } = await render({
      bringIn: () => throwError(() => new Error('The disk is full; make room.')),
    });
    await drop(file('low.obj'), file('top.obj'));
    await press('Bring in');
    expect(host.querySelector('[role=alert]')?.textContent).toContain('The disk is full; make room.');
    expect(listed()).toEqual(['low.obj', 'top.obj']);
  });
});

describe('the light mesh again', () => {
  async function lowAgain(own: Partial<typeof api> = {}) {
    TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { ...api, ...own } }] });
    const fixture = TestBed.createComponent(LowAgain);
    const sent: Uploaded[] = [];
    fixture.componentInstance.sent.subscribe((u) => sent.push(u));
    await fixture.whenStable();
    const host = fixture.nativeElement as HTMLElement;
    const drop = async (f: File): Promise<void> => {
      host.dispatchEvent(Object.assign(new Event('drop', { cancelable: true }), { dataTransfer: { files: [f] } }));
      await new Promise((resolve) => setTimeout(resolve, 5));
      await fixture.whenStable();
    };
    return { host, sent, drop };
  }

  it('is dropped or picked, and goes up', async () => {
    const { host, sent, drop } = await lowAgain();
    expect(host.dispatchEvent(new Event('dragover', { cancelable: true }))).toBe(false); // else the browser opens the file
    await drop(file('low.obj'));
    expect(sent).toMatchObject([{ name: 'low.obj' }]);
    await drop(file('low.fbx'));
    expect(host.querySelector('[role=alert]')?.textContent).toContain('low.fbx is not a mesh that can be read');
    expect(sent).toHaveLength(1);
  });

  it('says what went wrong on the way, and can be tried again', async () => {
    const { host, sent, drop } = await lowAgain({ upload: () => throwError(() => new Error('The line broke; nothing was written.')) });
    await drop(file('low.obj'));
    expect(host.querySelector('[role=alert]')?.textContent).toContain('The line broke');
    expect(host.querySelector('button')?.textContent).toContain('Bring the light mesh in again');
    expect(sent).toEqual([]);
  });
});
