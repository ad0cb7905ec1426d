import { TestBed } from '@angular/core/testing';
import type { EncodingSettings, ProofInfo, ProveRequest, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { ProofCard } from './proof-card';

const encoding: EncodingSettings = { depth: '16', midpoint: 0.5, scale: 8, fit: 'symmetric', fileType: 'tif' };
const span = {
  id: 's',
  settings: { ...EXTRACT_SETTINGS_DEFAULTS, fromLevel: 1, toLevel: 4 },
  fields: [],
  encoding,
  proofs: [],
} as unknown as SpanInfo;
const distance = {
  mean: 0.01,
  rms: 0.02,
  p95: 0.05,
  p99: 0.07,
  max: 0.8,
  toSculpt: { rms: 0.02, max: 0.4 },
  toProof: { rms: 0.02, max: 0.8 },
};
const report: ProofInfo['report'] = {
  diagonal: 1000, subdivisions: 3, distance, undisplaced: { ...distance, rms: 1 }, unencoded: distance, reachedShare: 0.999, seamGap: { rms: 0.01, max: 0.1 },
  normalAngle: { mean: 1, p95: 3 }, missedShare: 0, clippedShare: 0, foldShare: 0, tolerance: 0.1, passed: true,
}; // prettier-ignore
const proof = (change: Partial<ProofInfo['report']> = {}): ProofInfo => ({
  id: 'p', encoding, report: { ...report, ...change }, meshHash: '', errorsHash: '', seconds: 3, createdAt: '',
  maps: [{ id: 'm', tile: 1001, name: 'bell_scalar_L1-L4_16i.tif', bytes: 4.2e6, hash: '' }],
}); // prettier-ignore

async function render(inputs: Record<string, unknown>) {
  const fixture = TestBed.createComponent(ProofCard);
  fixture.componentRef.setInput('span', span);
  fixture.componentRef.setInput('unit', 'mm');
  fixture.componentRef.setInput('draft', { subdivisions: null, tolerance: 0.1 });
  fixture.componentRef.setInput('encoding', encoding);
  for (const [key, value] of Object.entries(inputs)) fixture.componentRef.setInput(key, value);
  await fixture.whenStable();
  return {
    fixture,
    host: fixture.nativeElement as HTMLElement,
    text: (fixture.nativeElement as HTMLElement).textContent.replace(/\s+/g, ' '),
  };
}

describe('Proof card', () => {
  it('asks for as many subdivisions as the span has levels, and four for a free sculpt', async () => {
    for (const [stack, subdivisions] of [
      [true, 3],
      [false, 4],
    ] as const) {
      // prettier-ignore
      const { fixture, host } = await render({ stack });
      const asked: ProveRequest[] = [];
      fixture.componentInstance.prove.subscribe((r) => asked.push(r));
      host.querySelector<HTMLButtonElement>('.act-button')?.click();
      expect(asked).toEqual([{ subdivisions, tolerance: 0.1 }]);
    }
  });

  it('gives the verdict with its reason, what is left, and the file', async () => {
    const { host, text } = await render({ proof: proof() });
    expect(text).toMatch(/Good to pull 99 % of both surfaces lie within 0.07/);
    expect(text).toContain('2 % of undisplaced');
    const link = host.querySelector('a');
    expect([link?.getAttribute('href'), link?.getAttribute('download')]).toEqual(['/api/maps/m/file', 'bell_scalar_L1-L4_16i.tif']);
  });

  it.each([
    [{ distance: { ...distance, p99: 0.3 } }, /99th percentile, 0\.3 mm, is over the tolerance/],
    [{ missedShare: 0.05 }, /5 % of the texels missed the sculpt; make the reach longer/],
    [{ foldShare: 0.02 }, /2 % of the displaced surface is folded over/],
  ])('holds, and says what to change', async (change, reason) => {
    const { text } = await render({ proof: proof({ ...change, passed: false }) });
    expect(text).toContain('Hold');
    expect(text).toMatch(reason);
  });

  it('says when the encoding has moved on since, and gives no verdict without a tolerance', async () => {
    expect((await render({ proof: proof(), current: false })).text).toContain('Out of date');
    const { text } = await render({ proof: proof({ tolerance: null, passed: null }) });
    expect(text).not.toMatch(/Good to pull|Hold/);
  });

  it('does not take a tolerance that is none', async () => {
    const { fixture, host } = await render({});
    const edits: unknown[] = [];
    fixture.componentInstance.edited.subscribe((e) => edits.push(e));
    const input = host.querySelector<HTMLInputElement>('#tolerance') as HTMLInputElement;
    for (const value of ['-1', 'x', '0,25', '']) {
      input.value = value;
      input.dispatchEvent(new Event('change'));
    }
    expect(edits).toEqual([{ tolerance: 0.25 }, { tolerance: null }]);
  });
});
