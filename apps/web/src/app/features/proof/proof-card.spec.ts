import type { ProofInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import type { DisplacedReport } from '../../../../test/samples';
import { sampleEncoding, sampleProof, sampleReport, sampleSpan } from '../../../../test/samples';
import { proposedShot } from '../../shared/tolerance';
import { rendered } from '../../../../test/rendered';
import { ProofCard } from './proof-card';
import { proveRequest } from './prove-request';

const encoding = sampleEncoding({ scale: 8 });
const span = sampleSpan({ settings: { ...EXTRACT_SETTINGS_DEFAULTS, fromLevel: 1, toLevel: 4 }, encoding });
const report = sampleReport();
const { distance } = report;
const proof = (change: Partial<DisplacedReport> = {}): ProofInfo =>
  sampleProof({ encoding, outcome: { kind: 'scalar', report: { ...report, ...change } } });

const tolerance = { value: 0.1, unit: 'units' as const, shot: proposedShot(1000) };

async function render(inputs: Record<string, unknown>) {
  const draft = { subdivisions: null, tolerance, degrees: null };
  const page = await rendered(ProofCard, { span, unit: 'mm', diagonal: 1000, draft, encoding, ...inputs });
  return { ...page, written: page.text() };
}

describe('Proof card', () => {
  it('asks for as many subdivisions as the span has levels, and four for a free sculpt', async () => {
    const draft = { subdivisions: null, tolerance, degrees: 3 };
    expect(proveRequest(draft, span.settings, true, 1000)).toEqual({ subdivisions: 3, tolerance: 0.1 });
    expect(proveRequest(draft, span.settings, false, 1000)).toEqual({ subdivisions: 4, tolerance: 0.1 });
    expect(proveRequest({ ...draft, subdivisions: 1 }, { ...span.settings, kind: 'normal' }, true, 1000)).toEqual({
      subdivisions: 1,
      tolerance: 3,
    });
    const { fixture, press } = await render({});
    let pressed = 0;
    fixture.componentInstance.prove.subscribe(() => pressed++);
    await press('Prove');
    expect(pressed).toBe(1);
  });

  it('gives the verdict with its reason, what is left, and the file', async () => {
    const { host, written: text } = await render({ proof: proof() });
    expect(text).toMatch(/Good to pull 99 % of both surfaces lie within 0.07/);
    expect(text).toContain('2 % of undisplaced');
    const link = host.querySelector('a');
    expect([link?.getAttribute('href'), link?.getAttribute('download')]).toEqual(['/api/maps/m/file', 'bell_scalar_L1-L4_16i.tif']);
  });

  it.each([
    [{ distance: { ...distance, p99: 0.3 } }, /within 0\.3 mm; the tolerance is 0\.1 mm.*Extract a larger map/],
    [{ missedShare: 0.05 }, /5 % of the texels found no sculpt along the normal; widen the reach/],
    [
      { reachedShare: 0.8, unencoded: { ...distance, toProof: { rms: 0.5, max: 9 } } },
      /20 % of the sculpt is not reached.*needs vector displacement/,
    ],
    [{ distance: { ...distance, rms: 0.1 } }, /Rounding makes up 98 % of the error/],
    [{ foldShare: 0.02 }, /2 % of the displaced surface is folded over/],
  ])('holds, and says what to change', async (change, reason) => {
    const { written: text } = await render({ proof: proof({ ...change, passed: false }) });
    expect(text).toContain('Hold');
    expect(text).toMatch(reason);
  });

  it('says when the encoding has moved on since, and gives no verdict without a tolerance', async () => {
    expect((await render({ proof: proof(), current: false })).written).toContain('Out of date');
    const { written: text } = await render({ proof: proof({ tolerance: null, passed: null }) });
    expect(text).not.toMatch(/Good to pull|Hold/);
  });

  it('does not take a tolerance that is none', async () => {
    const page = await render({});
    const edits: unknown[] = [];
    page.fixture.componentInstance.edited.subscribe((e) => edits.push(e));
    for (const value of ['-1', 'x', '0,25', '']) await page.enter('Tolerance', value);
    await page.enter('Subdivisions', '3 (as the sculpt)');
    await page.enter('Subdivisions', '5');
    expect(edits).toEqual([
      { tolerance: { ...tolerance, value: 0.25 } },
      { tolerance: { ...tolerance, value: null } },
      { subdivisions: 5 },
    ]);
  });

  it('turns percent and pixels of a shot into a length, and says which', async () => {
    const shot = { name: '', imageWidth: 4000, focalLength: 36, sensorWidth: 36, distance: 2000 };
    for (const [tolerance, length, words] of [
      [{ value: 0.05, unit: 'percent', shot }, 0.5, '= 0.5 mm'],
      [{ value: 0.5, unit: 'pixels', shot }, 0.25, '= 0.25 mm, at 2 px/mm'],
    ] as const) {
      const draft = { subdivisions: null, tolerance, degrees: null };
      const { written: text } = await render({ draft });
      expect(proveRequest(draft, span.settings, true, 1000).tolerance).toBeCloseTo(length, 9);
      expect(text).toContain(words);
    }
  });

  it('lists the worst places to fly to, and where the error comes from', async () => {
    const parts = { subdivision: 0, sampling: 0.016, search: 0.012, encoding: null };
    const sweep = [
      { subdivisions: 2, faces: 100, rms: 0.5, p99: 1, max: 2 },
      { subdivisions: 3, faces: 20480, rms: 0.02, p99: 0.07, max: 0.8 },
      { subdivisions: 4, faces: 81920, rms: 0.0195, p99: 0.07, max: 0.8 },
    ];
    const study = { parts, ladder: { exactPoints: 0, samplingBound: 0.016, unencoded: 0.02, written: 0.02 }, sweep, knee: 3, seconds: 1 };
    const { fixture, host, written: text } = await render({ proof: { ...proof(), study } });
    const visited: unknown[] = [];
    fixture.componentInstance.visit.subscribe((p) => visited.push(p));
    host.querySelector<HTMLButtonElement>('.worst button')?.click();
    expect(visited).toEqual(proof().worst);
    expect(text).toMatch(/proof lies too low ?0\.8 mm/);
    expect(text).toMatch(/map grid ?0\.016 mm/);
    expect(text).toMatch(/encoding ?unknown/);
    expect(text).toContain('3 subdivisions (20 480 faces) are enough');
    const last = await render({ proof: { ...proof(), study: { ...study, sweep: sweep.slice(0, 2) } } });
    expect(last.written).toContain('are the best of those looked at');
  });

  it('judges a normal map by its angles', async () => {
    const angle = { mean: 0.4, p95: 1.2, max: 9 };
    const outcome: ProofInfo['outcome'] = {
      kind: 'normal',
      report: { subdivisions: 5, normalAngle: angle, bareAngle: { mean: 8, p95: 20, max: 50 }, missedShare: 0, clippedShare: 0, unmatchedShare: 0, tolerance: 2, passed: true },
    }; // prettier-ignore
    const normal = { ...span, settings: { ...span.settings, kind: 'normal' } };
    const { written: text } = await render({ span: normal, proof: { ...proof(), outcome } });
    expect(text).toMatch(/Good to pull 95 % of the normals are off by 1\.2\u00b0 or less/);
    expect(text).not.toContain('Look closer');
  });
});
