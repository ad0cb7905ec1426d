import type { FieldInfo, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { TestBed } from '@angular/core/testing';
import { rendered } from '../../../../test/rendered';
import { sampleAsset, sampleField, sampleSpan } from '../../../../test/samples';
import { FieldStore } from '../../shared/field-store';
import { proposedShot } from '../../shared/tolerance';
import { MeasuredMap } from './measured-map';

const shot = { ...proposedShot(1000), name: 'the quay at dawn' };

async function render(fields: FieldInfo[], span: Partial<SpanInfo['settings']> = {}, asset: Parameters<typeof sampleAsset>[0] = {}) {
  const histogram = { from: -1, to: 2, counts: Uint32Array.of(10, 80, 10), total: 100 };
  TestBed.resetTestingModule();
  TestBed.configureTestingModule({ providers: [{ provide: FieldStore, useValue: { spread: () => Promise.resolve(histogram) } }] });
  const settings = { ...EXTRACT_SETTINGS_DEFAULTS, toLevel: 2, size: 512, ...span };
  const page = await rendered(MeasuredMap, { asset: sampleAsset(asset), span: sampleSpan({ settings, fields }), shot });
  const figure = (name: string): string | undefined => page.rows().find((row) => row[0] === name)?.[1];
  const notes = (): string[] => [...page.host.querySelectorAll('.note.warn')].map((n) => n.textContent.trim());
  return { ...page, figure, notes };
}

describe('what a pass found', () => {
  it('is summed over the tiles, and says how many of them are there', async () => {
    const fields = [
      sampleField({ id: 'a', tile: 1001, covered: 100, missed: 0, min: -1, max: 2, rays: 1000, seconds: 30 }),
      sampleField({ id: 'b', tile: 1002, covered: 300, missed: 4, min: -3, max: 1, rays: 2000, seconds: 45 }),
    ];
    const page = await render(fields, {}, { tiles: [1001, 1002, 1011] });
    expect(page.figure('Size')).toBe('512 x 512, 2 of 3 tiles');
    expect(page.figure('Heights')).toBe('-3 to 2 mm');
    expect([page.figure('Texels covered'), page.figure('Missed')]).toEqual(['400', '4']);
    expect([page.figure('Rays of the pass'), page.figure('Time of the pass')]).toEqual(['3 000', '1:15']);
    expect(page.text()).toContain('Not measured yet: 1011. Tick them below and extract; they join this span.');
  });

  it('names each file and where to get it', async () => {
    const page = await render(
      [sampleField({ id: 'f9', tile: 1002, missed: 7, bytes: 3_400_000 })],
      { kind: 'vector' },
      { name: 'Harbour bell' },
    );
    const link = page.host.querySelector('a');
    expect(link?.getAttribute('href')).toBe('/api/fields/f9/data');
    expect(link?.getAttribute('download')).toBe('harbour-bell_vector_L0-L2_field.1002.exr');
    expect(link?.textContent.trim()).toBe('3.4 MB');
  });

  it('says what to change about missed texels: another reach where it was set, another kind where it was found', async () => {
    const missed = sampleField({ covered: 750, missed: 250 });
    const set = await render([missed], { reach: 1.5 });
    expect(set.notes()[0]).toBe(
      '25 % of the texels found no sculpt that faces them within the reach. The reach was set to 1.5 mm: make it longer, or leave it empty to have it found.',
    );
    const free = await render([missed], {}, { stackKind: 'free' });
    expect(free.notes()[0]).toMatch(/no map along the normal reaches them.*transfer the sculpt/);
    const found = await render([missed]);
    expect(found.notes()[0]).toMatch(/found by itself.*measure vectors instead/);
    let asked = 0;
    found.fixture.componentInstance.showMarks.subscribe(() => asked++);
    await found.press('Show where on the surface');
    expect(asked).toBe(1);
  });

  it('says what doubtful texels are, and nothing where all is well', async () => {
    const well = { covered: 400_000, texelUnits: 0.08 };
    expect((await render([sampleField({ ...well, doubtful: 4000 })])).notes()[0]).toMatch(/^1 % are doubtful: the ray grazes/);
    const level = (faces: number) => ({ level: 0, meshId: 'm', points: 1, faces, detail: null, colours: null });
    const page = await render([sampleField(well)], {}, { levelList: [level(8), level(100), level(40_000)] });
    expect(page.notes()).toEqual([]);
    expect(page.host.querySelectorAll('button:not(.copy)')).toHaveLength(0);
  });

  it('counts sheets of a free sculpt, and says when another way is needed', async () => {
    const field = sampleField({ match: 'rays', covered: 1000, mended: 4, sheets: 3 });
    const page = await render([field], {}, { stackKind: 'free' });
    expect(page.figure('Matched by')).toBe('rays');
    expect(page.figure('Mended')).toBe('4');
    expect(page.notes()[0]).toMatch(/3 patches were answered by another layer/);
    const worse = await render([{ ...field, mended: 400, sheets: 90 }], {}, { stackKind: 'free' });
    expect(worse.notes()[0]).toMatch(/Transfer it onto the light mesh/);
  });

  it('warns of a radius that shows the triangles of the sculpt', async () => {
    const page = await render([sampleField({ radiusEdges: 1.4, covered: 400_000, texelUnits: 0.08 })], { kind: 'curvature' });
    expect(page.notes().some((n) => /1\.4.*edges/.test(n))).toBe(true);
  });

  it('shows what fitting gained: RMS over all tiles, each with its reads', async () => {
    const fields = [
      sampleField({ tile: 1001, fit: { reads: 100, before: 0.3, after: 0.03 } }),
      sampleField({ tile: 1002, fit: { reads: 300, before: 0.1, after: 0.01 } }),
    ];
    const expected = Math.sqrt((100 * 0.09 + 300 * 0.01) / 400);
    expect((await render(fields, { matchSeams: true })).figure('Seams off, RMS')).toBe(
      `${expected.toPrecision(3)} to ${(expected / 10).toPrecision(3)} mm`,
    );
    expect((await render(fields, { fitTexels: true })).figure('Reads off, RMS')).toBeDefined();
  });

  it('hands on the shot that is typed, and refuses a distance that cannot be', async () => {
    const page = await render([sampleField()]);
    const shots: unknown[] = [];
    page.fixture.componentInstance.shotEdited.subscribe((s) => shots.push(s));
    await page.enter('Nearest distance', '250');
    await page.enter('Nearest distance', '0');
    expect(shots).toEqual([{ ...shot, distance: 250 }]);
    expect(await page.errorOf('Nearest distance')).toBe('More than 0.');
  });
});
