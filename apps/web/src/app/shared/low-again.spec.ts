import { TestBed } from '@angular/core/testing';
import type { Uploaded } from '@estampe/contracts';
import { concat, of, throwError } from 'rxjs';
import { Api } from '../api/api';
import { LowAgain } from './low-again';

const file = (name: string): File => new File(['v'], name);
const api = {
  upload: (f: File) => concat(of({ fraction: 0.5 }), of({ uploaded: { hash: f.name.padEnd(64, '0'), name: f.name, bytes: f.size } })),
};

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
