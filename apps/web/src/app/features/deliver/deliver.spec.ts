import { MatCheckboxHarness } from '@angular/material/checkbox/testing';
import type { AssetDetail, DeliverRequest, Manifest, ProofInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { rendered } from '../../../../test/rendered';
import { DeliverCard } from './deliver-card';
import { manifestDifferences } from './manifest-difference';

const proof = (id: string, passed: boolean | null): ProofInfo =>
  ({
    id,
    outcome: { kind: 'scalar', report: { passed, distance: { rms: 0.02 } } },
    maps: [{ name: `${id}.tif` }],
  }) as unknown as ProofInfo;
const span = (id: string, proofs: ProofInfo[], outOfDate = false) => ({ id, settings: EXTRACT_SETTINGS_DEFAULTS, proofs, outOfDate });
const asset = (spans: object[]): AssetDetail =>
  ({ id: 'a', name: 'Harbour bell', unit: 'mm', spans, deliveries: [{ id: 'd', version: 3, name: 'harbour-bell_v003', bytes: 1e6, createdAt: '2026-01-01' }] }) as unknown as AssetDetail; // prettier-ignore

async function render(spans: object[]) {
  const page = await rendered(DeliverCard, { asset: asset(spans) });
  const sent: DeliverRequest[] = [];
  page.fixture.componentInstance.deliver.subscribe((r) => sent.push(r));
  return { ...page, sent };
}

describe('Deliver card', () => {
  it('takes the newest proof of each span that is up to date, and leaves out what is on hold until it is asked for', async () => {
    const spans = [
      span('s1', [proof('new', true), proof('old', true)]),
      span('s2', [proof('held', false)]),
      span('s3', [proof('stale', true)], true),
      span('s4', []),
    ];
    const { host, press, loader, sent } = await render(spans);
    expect([...host.querySelectorAll('.choice .name')].map((n) => n.textContent)).toEqual(['new.tif', 'held.tif']);
    await press('Make version 4');
    await (await loader.getAllHarnesses(MatCheckboxHarness))[1].toggle();
    await press('Make version 4');
    expect(sent.map((s) => s.proofIds)).toEqual([['new'], ['new', 'held']]);
  });

  it('leads on when nothing is proven', async () => {
    expect((await render([])).host.textContent).toContain('Prove a map first');
  });
});

describe('two versions side by side', () => {
  const map = (scale: number, rms: number): object => ({
    kind: 'scalar',
    scale,
    proof: { report: { distance: { rms } } },
    files: [{ file: 'a.tif', sha256: 'x' }],
  });
  const manifest = (version: number, ...maps: object[]): Manifest =>
    ({ format: 'estampe-delivery-1', version, createdAt: String(version), maps, low: { points: 8 } }) as unknown as Manifest;
  it('names what differs by its path, and passes over version and date', () => {
    expect(manifestDifferences(manifest(1, map(4, 0.1)), manifest(2, map(5, 0.1)))).toEqual([
      { what: 'scalar, scale', before: '4', after: '5' },
    ]);
    expect(manifestDifferences(manifest(1, map(4, 0.1)), manifest(2, map(4, 0.1)))).toEqual([]);
  });
  it('tells two maps of a kind apart, and says when one is not there', () => {
    const rows = manifestDifferences(manifest(1, map(4, 0.1)), manifest(2, map(4, 0.1), map(7, 0.3)));
    expect(rows).toContainEqual({ what: 'scalar 2, scale', before: 'not there', after: '7' });
    expect(rows).toContainEqual({ what: 'scalar 2, proof, report, distance, rms', before: 'not there', after: '0.3' });
  });
});
