import { MatSelectHarness } from '@angular/material/select/testing';
import { TestBed } from '@angular/core/testing';
import type { EncodingSettings, SpanInfo } from '@estampe/contracts';
import { EXTRACT_SETTINGS_DEFAULTS } from '@estampe/contracts';
import { rendered } from '../../../../test/rendered';
import { sampleEncoding } from '../../../../test/samples';
import { FieldStore } from '../../shared/field-store';
import type { DepthFigures } from '../../workers/field-messages';
import { CalibrateCard } from './calibrate-card';

const span = { id: 's', settings: EXTRACT_SETTINGS_DEFAULTS, fields: [{ id: 'f' }], encoding: null, proofs: [] } as unknown as SpanInfo;
const encoding = sampleEncoding({ midpoint: 32768 / 65535, scale: 8 });

const RANGE = { midpoint: 0.5, scale: 4 };
/** Answers like the worker: a fit that depends on the depth, figures that are bad at 8 bits only. */
const store: Pick<FieldStore, 'fit' | 'figures' | 'swatch'> = {
  swatch: () => Promise.resolve(null),
  fit: (_ids, { depth, fit, each }) =>
    fit === 'impossible'
      ? Promise.reject(new Error('that cannot work'))
      : Promise.resolve({ midpoint: depth === '8' ? 128 / 255 : 0, scale: 4, each: each ? [RANGE, { ...RANGE, scale: 2 }, RANGE] : null }),
  figures: (ids, e): Promise<DepthFigures> => {
    const coarse = e.depth === '8';
    const figures = {
      step: coarse ? 0.03 : 1e-4,
      restError: 0,
      clippedShare: e.scale < 1 ? 0.2 : 0,
      terracedShare: coarse ? 0.31 : 0,
      roundingRms: 1e-5,
      min: -1,
      max: 1,
      ends: [{ min: -1, max: 1 }],
      bound: 1,
    };
    return Promise.resolve({
      encoding: e,
      bytes: 1000,
      lookedAt: e.fileType === 'exr' ? 0.25 : 1,
      figures,
      // all of it lies in the last tile
      clippedByTile: ids.map((_, i) => (i + 1 === ids.length ? figures.clippedShare * ids.length : 0)),
      angles: { rest: e.midpoint === 0.5 ? 0.32 : 0, rms: 0.1, max: 0.2 },
    });
  },
};

async function render(inputs: Record<string, unknown>) {
  TestBed.configureTestingModule({ providers: [{ provide: FieldStore, useValue: store }] });
  const changed: EncodingSettings[] = [];
  const page = await rendered(CalibrateCard, { span, unit: 'mm', ...inputs }, (card) => {
    card.changed.subscribe((e) => changed.push(e));
  });
  const settle = async (): Promise<void> => {
    await new Promise((resolve) => setTimeout(resolve, 20));
    await page.settle();
  };
  await settle();
  return { ...page, changed, settle };
}

describe('Calibrate card', () => {
  it('shows every depth side by side and says that 16 bit is enough', async () => {
    const page = await render({ encoding, tolerance: 0.01 });
    const { host } = page;
    expect(host.textContent).toMatch(/16 bit is enough.*0\.0001 mm, 100 steps to the tolerance/);
    expect(host.querySelectorAll('td.bad')).toHaveLength(1); // the terraces at 8 bit
    expect(await page.valueOf('Midpoint')).toBe('32768/65535');
  });

  it('warns of terraces and of clipping instead', async () => {
    expect((await render({ encoding: { ...encoding, depth: '8' } })).host.textContent).toMatch(/8 bit shows terraces on 31 %/);
    TestBed.resetTestingModule();
    expect((await render({ encoding: { ...encoding, scale: 0.5 } })).host.textContent).toMatch(/20 % of the heights lie beyond the range/);
  });

  it('says of how many rows the figures are where a map is too large to be held', async () => {
    expect((await render({ encoding })).text()).not.toContain('of the rows');
    TestBed.resetTestingModule();
    const { text } = await render({ encoding: { ...encoding, depth: 'float', fileType: 'exr' } });
    expect(text()).toContain('shares and rounding are of 25 % of the rows');
  });

  it('says which tiles are cut off where there are several', async () => {
    const tiles = { ...span, fields: [{ id: 'f', tile: 1001 }, { id: 'g', tile: 1002 }] } as unknown as SpanInfo; // prettier-ignore
    const { host } = await render({ span: tiles, encoding: { ...encoding, scale: 0.5 } });
    expect(host.textContent).toMatch(/Clipped by tile: 1002: 40 %/);
    TestBed.resetTestingModule();
    expect((await render({ span: tiles, encoding })).host.textContent).not.toContain('Clipped by tile');
  });

  it('takes typed numbers and fractions, and refuses what is none', async () => {
    const page = await render({ encoding });
    await page.enter('Midpoint', '128/255');
    await page.enter('Midpoint', 'exact');
    await page.enter('Scale', '2,5');
    const { midpoint } = encoding;
    expect(page.changed.map((e) => [e.midpoint, e.scale, e.fit])).toEqual([[128 / 255, 8, 'by hand'], [midpoint, 2.5, 'by hand']]); // prettier-ignore
    for (const [wrong, error] of [['abc', 'not a number'], ['0', 'At least'], ['-3', 'At least']]) {
      await page.enter('Scale', wrong);
      expect(await page.errorOf('Scale')).toContain(error);
    } // prettier-ignore
    expect(page.changed).toHaveLength(2);
  });

  it('changes the file type with a depth that the file cannot hold', async () => {
    const { press, changed, settle } = await render({ encoding });
    await press('half');
    await settle();
    expect(changed).toEqual([
      { depth: 'half', fit: 'measured', fileType: 'exr', midpoint: 0, scale: 4, green: 'up', keepBlue: true, axes: '', each: null },
    ]);
  });

  it('shows every range with its figures before one is taken', async () => {
    const { rows, press, changed, settle } = await render({ encoding });
    const at = rows().findIndex(([name]) => name === 'take');
    expect(rows().slice(at + 1, at + 6).map(([name]) => name)).toEqual(['symmetric', 'symmetric, round', 'full', 'full, round', 'clip 0.1 %']); // prettier-ignore
    expect(rows()[at + 3]).toEqual(['full', '4', '0.0001', '0', '0 %', '0 %']);
    await press('full');
    await settle();
    expect(changed).toEqual([expect.objectContaining({ fit: 'full', scale: 4 })]);
  });

  it('offers a normal map its conventions and warns that flat is off', async () => {
    const normal = { ...span, settings: { ...span.settings, kind: 'normal' } };
    const { text, labels, enter, changed } = await render({ span: normal, encoding: { ...encoding, midpoint: 0.5, scale: 2 } });
    expect(text()).toMatch(/Flat areas tilt by 0\.32/);
    expect(await labels()).toEqual(['File', 'Green', 'Blue', 'Flat is stored']);
    await enter('Green', 'down, against V');
    await enter('Blue', 'left out, rebuilt by the renderer');
    await enter('Flat is stored', 'exactly (32768/65535)');
    expect(changed.map((e) => [e.green, e.keepBlue, e.midpoint])).toEqual([
      ['down', true, 0.5],
      ['up', false, 0.5],
      ['up', true, 32768 / 65535],
    ]);
  });

  it('lets people choose when another tab has changed the encoding', async () => {
    const { host } = await render({ encoding, theirs: { ...encoding, scale: 31 } });
    expect(host.querySelector('[role=alert]')?.textContent).toMatch(/another tab: 16 bit, midpoint 0\.50001, scale 31/);
  });

  const of = (kind: SpanInfo['settings']['kind']): SpanInfo => ({ ...span, settings: { ...span.settings, kind } });

  it('says a curvature by the length that it is of, without terraces', async () => {
    const { text } = await render({ span: of('curvature'), unit: '1/mm', encoding });
    expect(text()).toMatch(/Scale ?1\/mm/);
    expect(text()).not.toContain('terraces');
  });

  it('gives a vector map its axis order, channel by channel or by search, and a range each', async () => {
    const page = await render({ span: of('vector'), encoding });
    const { changed, settle } = page;
    const red = await page.loader.getHarness(MatSelectHarness.with({ selector: '[aria-label="Red holds"]' }));
    await red.clickOptions({ text: '\u2212N, against it' });
    await settle();
    // what red had before goes to the channel that had the normal
    expect(changed[0]).toMatchObject({ axes: 'R=-N G=+V B=+U', fit: 'symmetric', scale: 4 });
    await page.enter('Any of the 48', 'B=-V R=+U G=+N');
    await settle();
    expect(changed[1].axes).toBe('R=+U G=+N B=-V');
    await page.enter('Any of the 48', 'R=+U G=+U B=+N');
    expect(await page.errorOf('Any of the 48')).toMatch(/a component is used twice/);
    await page.press('full, each its own');
    await settle();
    expect(changed[2].each?.map((r) => r.scale)).toEqual([4, 2, 4]);
  });

  it('warns of an order that mirrors, and says where the three ranges lie', async () => {
    const axes = 'R=+U G=+N B=+V';
    const page = await render({ span: of('vector'), encoding: { ...encoding, axes, each: [RANGE, { ...RANGE, scale: 2 }, RANGE] } });
    expect(page.text()).toContain('left-handed');
    expect(page.rows()).toContainEqual(['Green', '0.5', '2']);
    expect(await page.labels()).not.toContain('Scale');
    expect(page.host.querySelector('svg[role=img]')?.getAttribute('aria-label')).toBe('Axis order R=+U G=+N B=+V');
  });
});
