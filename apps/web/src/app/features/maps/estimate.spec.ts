import type { AssetDetail, MeasureRequest } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS, MEASURE_DEFAULTS } from '@estampe/contracts';
import { estimate } from './estimate';

const field = { width: 1000, height: 1000, covered: 480_000, missed: 20_000, rays: 500_000, seconds: 10, bytes: 3_000_000 };
const asset = (...spans: { kind: string; field: object }[]): AssetDetail =>
  ({
    stackKind: 'stack',
    tiles: [1001],
    spans: spans.map((s) => ({ settings: { ...EXTRACT_SETTINGS_DEFAULTS, kind: s.kind }, fields: [{ ...field, ...s.field }] })),
  }) as unknown as AssetDetail;
const request = (change: Partial<MeasureRequest>): MeasureRequest => ({ ...MEASURE_DEFAULTS, size: 1000, ...change });

describe('what a pass will take', () => {
  it('is not guessed before anything has been measured, but for the bytes of the files', () => {
    expect(estimate(asset(), request({ kinds: ['scalar', 'vector'] }))).toEqual({ seconds: null, bytes: 16_000_000 });
  });

  it('grows with texels, samples and occlusion rays, at the rate of the newest pass', () => {
    const measured = asset({ kind: 'scalar', field: { seconds: 99 } }, { kind: 'scalar', field: {} });
    expect(estimate(measured, request({ kinds: ['scalar'] }))).toEqual({ seconds: 10, bytes: 3_000_000 });
    expect(estimate(measured, request({ kinds: ['scalar'], size: 2000 }))).toEqual({ seconds: 40, bytes: 12_000_000 });
    expect(estimate(measured, request({ kinds: ['scalar'], samples: 2 })).seconds).toBeCloseTo(40, 9);
    expect(estimate(measured, request({ kinds: ['scalar', 'occlusion'], occlusionRays: 90 }))).toEqual({ seconds: 160, bytes: 6_000_000 });
    expect(estimate({ ...measured, tiles: [1001, 1002] }, request({ kinds: ['scalar'] })).seconds).toBeCloseTo(20, 9);
  });

  it('knows that vectors of one stack cast no rays, and waits for such a pass to tell how long they take', () => {
    const rays = asset({ kind: 'scalar', field: {} });
    expect(estimate(rays, request({ kinds: ['vector'] })).seconds).toBeNull();
    const both = asset({ kind: 'vector', field: { rays: 0, seconds: 2.4, bytes: 9_000_000 } }, { kind: 'scalar', field: {} });
    expect(estimate(both, request({ kinds: ['vector'] })).seconds).toBeCloseTo(2.5, 9); // missed texels are looked at too
    expect(estimate({ ...both, stackKind: 'free' }, request({ kinds: ['vector'] })).seconds).toBeCloseTo(10, 9);
  });
});
