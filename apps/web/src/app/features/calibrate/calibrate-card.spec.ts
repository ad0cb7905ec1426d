import { TestBed } from '@angular/core/testing';
import type { EncodingSettings, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { FieldStore } from '../../shared/field-store';
import type { DepthFigures } from '../../workers/field-messages';
import { CalibrateCard } from './calibrate-card';

const span = { id: 's', settings: EXTRACT_SETTINGS_DEFAULTS, fields: [{ id: 'f' }], encoding: null, proofs: [] } as unknown as SpanInfo;
const encoding: EncodingSettings = { depth: '16', midpoint: 32768 / 65535, scale: 8, fit: 'symmetric', fileType: 'tif' };

/** Answers like the worker: a fit that depends on the depth, figures that are bad at 8 bits only. */
const store: Pick<FieldStore, 'fit' | 'figures'> = {
  fit: (_ids, depth, fit) =>
    fit === 'impossible'
      ? Promise.reject(new Error('that cannot work'))
      : Promise.resolve({ midpoint: depth === '8' ? 128 / 255 : 0, scale: 4 }),
  figures: (_ids, e): Promise<DepthFigures> => {
    const coarse = e.depth === '8';
    const figures = {
      step: coarse ? 0.03 : 1e-4,
      restError: 0,
      clippedShare: e.scale < 1 ? 0.2 : 0,
      terracedShare: coarse ? 0.31 : 0,
      roundingRms: 1e-5,
      min: -1,
      max: 1,
    };
    return Promise.resolve({ encoding: e, bytes: 1000, figures });
  },
};

async function render(inputs: Record<string, unknown>) {
  TestBed.configureTestingModule({ providers: [{ provide: FieldStore, useValue: store }] });
  const fixture = TestBed.createComponent(CalibrateCard);
  fixture.componentRef.setInput('span', span);
  fixture.componentRef.setInput('unit', 'mm');
  for (const [key, value] of Object.entries(inputs)) fixture.componentRef.setInput(key, value);
  const changed: EncodingSettings[] = [];
  fixture.componentInstance.changed.subscribe((e) => changed.push(e));
  fixture.componentInstance.proposed.subscribe((e) => changed.push(e));
  const settle = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 20));
    await fixture.whenStable();
  };
  await settle();
  return { host: fixture.nativeElement as HTMLElement, changed, settle };
}
const type = (host: HTMLElement, id: string, value: string): HTMLInputElement => {
  const input = host.querySelector<HTMLInputElement>(`#${id}`) as HTMLInputElement;
  input.value = value;
  input.dispatchEvent(new Event('change'));
  return input;
};

describe('Calibrate card', () => {
  it('proposes 16 bit, symmetric, for a field that has no encoding yet', async () => {
    const { changed } = await render({});
    expect(changed).toEqual([{ depth: '16', fit: 'symmetric', fileType: 'tif', midpoint: 0, scale: 4 }]);
  });

  it('shows every depth side by side and says that 16 bit is enough', async () => {
    const { host } = await render({ encoding, tolerance: 0.01 });
    expect(host.textContent).toMatch(/16 bit is enough.*0\.0001 mm, 100 steps to the tolerance/);
    expect(host.querySelectorAll('td.bad')).toHaveLength(1); // the terraces at 8 bit
    expect((host.querySelector('#midpoint') as HTMLInputElement).value).toBe('32768/65535');
  });

  it('warns of terraces and of clipping instead', async () => {
    expect((await render({ encoding: { ...encoding, depth: '8' } })).host.textContent).toMatch(/8 bit shows terraces on 31 %/);
    TestBed.resetTestingModule();
    expect((await render({ encoding: { ...encoding, scale: 0.5 } })).host.textContent).toMatch(/20 % of the heights lie beyond the range/);
  });

  it('takes typed numbers and fractions, and refuses what is none', async () => {
    const { host, changed } = await render({ encoding });
    type(host, 'midpoint', '128/255');
    type(host, 'scale', '2,5');
    expect(changed.map((e) => [e.midpoint, e.scale, e.fit])).toEqual([[128 / 255, 8, 'by hand'], [encoding.midpoint, 2.5, 'by hand']]); // prettier-ignore
    for (const wrong of ['abc', '0', '-3']) expect(type(host, 'scale', wrong).getAttribute('aria-invalid')).toBe('true');
    expect(changed).toHaveLength(2);
  });

  it('changes the file type with a depth that the file cannot hold', async () => {
    const { host, changed, settle } = await render({ encoding });
    [...host.querySelectorAll('button')].find((b) => b.textContent.trim() === 'half')?.click();
    await settle();
    expect(changed).toEqual([{ depth: 'half', fit: 'measured', fileType: 'exr', midpoint: 0, scale: 4 }]);
  });
});
