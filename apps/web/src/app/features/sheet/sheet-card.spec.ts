import { TestBed } from '@angular/core/testing';
import type { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { MatExpansionPanelHarness } from '@angular/material/expansion/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import { meshSeams, polyMesh } from '@estampe/core';
import type { JobInfo, PartInfo, UnwrapRequest } from '@estampe/contracts';
import { unwrapSchema } from '@estampe/contracts';
import { sampleAsset, samplePart, sampleSpan } from '../../../../test/samples';
import { MeshStore } from '../../shared/mesh-store';
import { stateAfter, stateBefore } from '../../state/low-states';
import { SeamPicking } from '../../shared/seam-picking';
import { SheetCard } from './sheet-card';

/** Two by three squares, without UVs. */
const SQUARES = polyMesh({
  positions: Float32Array.from({ length: 36 }, (_, i) => [Math.floor(i / 3) % 3, Math.floor(i / 9), 0][i % 3]),
  faceOffsets: Uint32Array.from({ length: 7 }, (_, f) => 4 * f),
  faceVerts: Uint32Array.from([0, 1, 3, 4, 6, 7].flatMap((v) => [v, v + 1, v + 4, v + 3])),
});

const uv: PartInfo['uv'] = {
  islands: 2,
  overlap: 0,
  use: 0.6988,
  stretch: { rms: 1.0591, p95: 1.256 },
  seamLength: 2361.2,
  smallestGap: 14.69,
};

async function render(part: Partial<PartInfo>, jobs: JobInfo[] = []) {
  TestBed.configureTestingModule({
    providers: [
      {
        provide: MeshStore,
        useValue: {
          seams: () => Promise.resolve(meshSeams(SQUARES)),
          faces: () => Promise.resolve({ groups: { names: [], of: new Uint16Array(6) } }),
        },
      },
    ],
  });
  const fixture = TestBed.createComponent(SheetCard);
  fixture.componentRef.setInput('asset', sampleAsset({ parts: [samplePart(part)], spans: [sampleSpan()] }));
  fixture.componentRef.setInput('settings', unwrapSchema.parse({}));
  fixture.componentRef.setInput('jobs', jobs);
  const [asked, went]: [UnwrapRequest[], number[]] = [[], []];
  fixture.componentInstance.unwrap.subscribe((r) => asked.push(r));
  fixture.componentInstance.went.subscribe((place) => went.push(place));
  const coloured: string[] = [];
  fixture.componentInstance.coloured.subscribe((by) => coloured.push(by));
  fixture.componentInstance.edited.subscribe((change) =>
    fixture.componentRef.setInput('settings', { ...fixture.componentInstance.settings(), ...change }),
  );
  const loader: HarnessLoader = TestbedHarnessEnvironment.loader(fixture);
  await fixture.whenStable();
  const button = (text: string): Promise<MatButtonHarness> => loader.getHarness(MatButtonHarness.with({ text }));
  return { host: fixture.nativeElement as HTMLElement, asked, went, coloured, loader, button, fixture };
}

describe('Sheet card', () => {
  it('shows what the UVs are like, and unwraps as it is set', async () => {
    const { host, asked, loader, button } = await render({ uv });
    for (const text of ['69.88 %', 'none', '1.059', '2361 mm', '14.7 texels']) expect(host.textContent).toContain(text);
    const [margin] = await loader.getAllHarnesses(MatInputHarness);
    await margin.setValue('12');
    await margin.blur();
    await (await button('Unwrap')).click();
    expect(asked).toEqual([{ seams: 'auto', edges: [], keep: [], size: 2048, margin: 12, tiles: 1, weights: {} }]);
    expect(host.textContent).toContain('The map measured before will be marked as out of date');
  });
  it('cuts along picked edges and rows of them, joins them again, and takes picks back', async () => {
    const { host, asked, loader, button, fixture } = await render({ uv });
    const choice = await loader.getHarness(MatSelectHarness.with({ ancestor: 'est-choice-field' }));
    await choice.clickOptions({ text: 'along edges that you pick' });
    await fixture.whenStable();
    const picking = TestBed.inject(SeamPicking);
    const seams = meshSeams(SQUARES);
    const between = (a: number, b: number): number =>
      [...Array(seams.seam.length).keys()].find((e) => [a, b].every((p) => seams.edges.edgeVerts.subarray(2 * e, 2 * e + 2).includes(p))) ??
      -1;
    const status = (): string => host.querySelector('est-seam-picker [role=status]')?.textContent.trim() ?? '';
    const pick = async (a: number, b: number, row: boolean): Promise<void> => {
      picking.toggle(between(a, b), row);
      await fixture.whenStable();
    };
    await pick(4, 7, true);
    expect(status()).toBe('3 edges are cut');
    await pick(4, 7, false);
    expect(status()).toBe('2 edges are cut');
    await (await button('Take back')).click();
    expect(status()).toBe('3 edges are cut');
    await (await button('Unwrap')).click();
    expect(asked[0].seams).toBe('picked');
    expect(new Set(asked[0].edges)).toEqual(new Set([1, 4, 7, 10]));
    await (await button('None')).click();
    expect(status()).toBe('0 edges are cut');
  });
  it('gives groups texels by their weight, and waits for one that can be', async () => {
    const { host, asked, loader, button } = await render({ uv, groups: { names: ['face', '', 'soles'], runs: [6, 0] } });
    await (await loader.getHarness(MatExpansionPanelHarness)).expand();
    const field = await loader.getHarness(MatInputHarness.with({ ancestor: 'est-group-weights est-number-field:first-child' }));
    await field.setValue('900');
    await field.blur();
    expect(await (await button('Unwrap')).isDisabled()).toBe(true);
    await field.setValue('2');
    await field.blur();
    expect(host.querySelector('est-group-weights')?.textContent).toContain('face 2');
    await (await button('Unwrap')).click();
    expect(asked[0].weights).toEqual({ face: 2 });
  });
  it('refuses a margin that cannot be, under its field', async () => {
    const { host, loader, button } = await render({ uv });
    const [margin] = await loader.getAllHarnesses(MatInputHarness);
    await margin.setValue('900');
    await margin.blur();
    expect(host.textContent).toContain('At most 64.');
    expect(await (await button('Unwrap')).isDisabled()).toBe(true);
  });
  it('says that UVs are missing and what to do, and leads on only when they are there', async () => {
    const { host, button } = await render({ uv: null, tiles: [] });
    expect(host.textContent).toContain('has no UVs, and maps need them. Unwrap it here');
    expect(await (await button('Maps')).isDisabled()).toBe(true);
  });
  it('offers colours with their scale, and an image of each tile for painters', async () => {
    const { host, fixture, coloured } = await render({ uv, tiles: [1001, 1002] });
    const named = (text: string) => [...host.querySelectorAll('button')].find((b) => b.textContent.trim() === text);
    named('density')?.click();
    expect(coloured).toEqual(['density']);
    fixture.componentRef.setInput('colours', 'density');
    await fixture.whenStable();
    expect(host.querySelector('.scale')?.textContent).toBe('1/22 x');
    const links = [...host.querySelectorAll<HTMLAnchorElement>('a.layout')];
    expect(links.map((a) => [a.textContent.trim(), a.getAttribute('href')])).toEqual([1001, 1002].map((tile) => [`Layout image ${tile}`, `/api/parts/p1/layout?tile=${tile}&size=2048`])); // prettier-ignore
  });
  it('goes back and forth between states', async () => {
    const states = [{ place: 0, title: 'brought in' }, { place: 1, title: 'unwrapped' }, { place: 2, title: 'unwrapped by groups' }]; // prettier-ignore
    expect([stateBefore({ states, statePlace: 0 }), stateAfter({ states, statePlace: 2 })]).toEqual([null, null]);
    const { host, went } = await render({ uv, states, statePlace: 1 });
    for (const name of ['Undo', 'Redo']) host.querySelector<HTMLElement>(`[aria-label=${name}]`)?.click();
    expect(went).toEqual([0, 2]);
  });
  it('shows progress, and why it failed', async () => {
    const job = { kind: 'unwrap', partId: 'p1', state: 'running', fraction: 0.4, stage: 'placing seams', tasks: 1, startedAt: '2026-01-02T03:04:05.000Z' } as JobInfo; // prettier-ignore
    expect((await render({ uv }, [job])).host.textContent).toContain('placing seams');
    TestBed.resetTestingModule();
    const failed = { ...job, state: 'failed', error: 'The mesh has 200000 faces' } as JobInfo;
    expect((await render({ uv }, [failed])).host.querySelector('[role=alert]')?.textContent).toContain('200000 faces');
  });
});
