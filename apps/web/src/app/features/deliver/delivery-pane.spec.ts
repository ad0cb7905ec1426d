import { TestBed } from '@angular/core/testing';
import type { DeliveryInfo } from '@estampe/contracts';
import { of, throwError } from 'rxjs';
import { Api } from '../../api/api';
import { DeliveryPane } from './delivery-pane';

const version = (n: number): DeliveryInfo => ({
  id: `id-${n}`,
  version: n,
  name: `bell_v00${n}`,
  bytes: 10,
  createdAt: '2026-01-01T00:00:00Z',
});
const manifest = (scale: number) => ({
  format: 'estampe-delivery-1',
  asset: 'Bell',
  version: scale,
  createdAt: String(scale),
  maps: [{ kind: 'scalar', scale }],
});

async function render(
  inputs: { shown?: DeliveryInfo; compared?: DeliveryInfo },
  answer: (id: string) => unknown = (id) => of(manifest(Number(id.slice(3)))),
) {
  TestBed.configureTestingModule({ providers: [{ provide: Api, useValue: { manifest: answer } }] });
  const fixture = TestBed.createComponent(DeliveryPane);
  for (const [key, value] of Object.entries(inputs)) fixture.componentRef.setInput(key, value);
  const settle = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 0));
    await fixture.whenStable();
  };
  await settle();
  return { fixture, settle, host: fixture.nativeElement as HTMLElement };
}

describe('a delivery on the screen', () => {
  it('says what to do while there is none', async () => {
    expect((await render({})).host.textContent).toContain('Choose the proven maps at the right and make the first');
  });

  it('shows its set-up sheet in a frame that runs nothing, to print and to save', async () => {
    const { host } = await render({ shown: version(2) });
    const frame = host.querySelector('iframe');
    expect(frame?.getAttribute('src')).toBe('/api/deliveries/id-2/sheet');
    expect(frame?.getAttribute('sandbox')).toBe('allow-same-origin');
    expect(frame?.title).toBe('Set-up sheet of bell_v002');
    const [print, save] = host.querySelectorAll('a');
    expect([print.getAttribute('href'), print.rel]).toEqual(['/api/deliveries/id-2/sheet', 'noopener']);
    expect([save.getAttribute('href'), save.getAttribute('download')]).toEqual(['/api/deliveries/id-2/zip', 'bell_v002.zip']);
  });

  it('compares two versions number by number, the older first whichever is open', async () => {
    const { host } = await render({ shown: version(3), compared: version(1) });
    expect(host.querySelector('h2')?.textContent).toBe('bell_v001 and bell_v003');
    const rows = [...host.querySelectorAll('tbody tr')].map((r) => [...r.querySelectorAll('th, td')].map((c) => c.textContent.trim()));
    expect(rows).toEqual([['scalar, scale', '1', '3']]);
  });

  it('says when nothing differs, and when a manifest does not come', async () => {
    const same = await render({ shown: version(3), compared: version(1) }, () => of(manifest(1)));
    expect(same.host.textContent).toContain('Nothing but the version and the date');
    TestBed.resetTestingModule();
    const gone = await render({ shown: version(3), compared: version(1) }, () =>
      throwError(() => new Error('That delivery is not here any more.')),
    );
    expect(gone.host.querySelector('[role=status]')?.textContent).toBe('That delivery is not here any more.');
  });

  it('never shows the answer to an earlier question', async () => {
    const late: (() => void)[] = [];
    const { fixture, host, settle } = await render({ shown: version(3), compared: version(1) }, (id) => ({
      subscribe: (observer: { next(v: unknown): void; complete(): void }) => {
        late.push(() => {
          observer.next(manifest(Number(id.slice(3))));
          observer.complete();
        });
        return { unsubscribe: () => undefined };
      },
    }));
    fixture.componentRef.setInput('compared', version(2));
    await settle();
    // the second question is answered first
    late[2]?.();
    late[3]?.();
    await settle();
    late[0]?.();
    late[1]?.();
    await settle();
    expect(host.textContent).toContain('bell_v002 and bell_v003');
    expect(host.querySelector('tbody td:nth-child(2)')?.textContent ?? host.textContent).not.toBe('1');
  });
});
