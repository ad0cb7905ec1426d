import { readFileSync } from 'node:fs';
import type { Locator, Page } from '@playwright/test';
import { expect, test } from '@playwright/test';
import { expectAccessible } from './accessible';
import { Application } from './application';

const application = new Application();
test.beforeAll(() => application.start(2));
test.afterAll(() => application.stop());

const centre = async (locator: Locator): Promise<{ x: number; y: number }> => {
  const box = await locator.boundingBox();
  if (!box) throw new Error('not on the screen');
  return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
};
const valueOf = async (page: Page, row: string): Promise<string> =>
  (
    await page
      .locator('tr', { has: page.getByRole('rowheader', { name: row, exact: true }) })
      .locator('td')
      .nth(1)
      .innerText()
  ).trim();
const choose = async (page: Page, label: string, option: string | RegExp): Promise<void> => {
  await page.getByRole('combobox', { name: label, exact: true }).click();
  await page.getByRole('option', { name: option }).click();
};
const openPart = async (page: Page, name: string): Promise<void> => {
  await page.getByRole('button', { name: 'Part', exact: true }).click();
  await page.getByRole('menuitemradio', { name }).click();
};

/** Proves in the step Proof with a tolerance in mm, and waits for the verdict. */
const prove = async (page: Page, tolerance: string, verdict: 'Good to pull' | 'Hold'): Promise<void> => {
  await choose(page, 'Tolerance in', 'mm');
  await page.getByLabel('Tolerance', { exact: true }).fill(tolerance);
  await page.getByLabel('Tolerance', { exact: true }).blur();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await expect(page.getByText(verdict, { exact: true })).toBeVisible({ timeout: 240_000 });
};

test('the Harbour bell by mouse: span, two maps in one pass, 16 bit, proof with its causes, delivery', async ({ page }) => {
  const complaints: string[] = [];
  page.on('console', (message) => {
    if (message.type() === 'error') complaints.push(message.text());
  });
  page.on('pageerror', (error) => complaints.push(error.message));

  await page.goto(application.url);
  await page.getByRole('button', { name: 'storage' }).click();
  await expect(page.getByText('Nothing to free')).toBeVisible();
  await expectAccessible(page, 'Storage', false);
  await page.keyboard.press('Escape');
  await page.getByRole('link', { name: /Harbour bell/ }).click();
  await expect(page.getByRole('button', { name: /^Level 2, 20/ })).toBeVisible();

  await page.getByRole('tab', { name: /^Sculpt/ }).click();
  // its base could be settled, and that is all there is to say
  await expect(page.getByRole('button', { name: 'Settle it in Levels', exact: true })).toBeVisible();
  await expect(page.getByText(/good to know|look at it|must be mended/)).toHaveCount(1);
  await expectAccessible(page, 'Sculpt');
  await page.getByRole('tab', { name: /^Levels/ }).click();
  await expect(page.getByRole('table', { name: 'Levels' })).toContainText(/1.?280/);
  await expectAccessible(page, 'Levels');

  // a span from rung 0 to the top, drawn with the mouse
  const from = await centre(page.getByRole('button', { name: /^Level 0,/ }));
  const to = await centre(page.getByRole('button', { name: /^Level 2,/ }));
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x, (from.y + to.y) / 2, { steps: 4 });
  await page.mouse.move(to.x, to.y, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByRole('heading', { name: 'New span, level 0 to 2' })).toBeVisible();
  await choose(page, 'Map size', '512 x 512');
  await page.getByLabel('N normals').check();
  await page.getByText('Surfaces', { exact: true }).click();
  await expectAccessible(page, 'Maps, settings');
  await expect(page.getByLabel(/match seams/)).toBeChecked(); // proposed
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('Texels covered')).toBeVisible({ timeout: 180_000 });
  expect(await valueOf(page, 'Missed')).toBe('0');
  const [before, after] = ((await valueOf(page, 'Seams off, RMS')).match(/[0-9.]+/g) ?? []).map(Number);
  expect(after).toBeLessThan(before / 3);
  await expect(page.getByRole('button', { name: /^Normals, level 0 to 2/ })).toBeVisible();

  await expectAccessible(page, 'Maps, measured');

  await page.getByRole('button', { name: 'Calibrate', exact: true }).click();
  await page.getByRole('radio', { name: '8 bit' }).click();
  await expect(page.getByText(/8 bit shows terraces on/)).toBeVisible();
  await page.getByRole('radio', { name: '16 bit' }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible();
  await expect(page.locator('est-calibrate-card').getByLabel('Midpoint')).toHaveValue('32768/65535');

  await expectAccessible(page, 'Calibrate');

  // a range with its figures before it is taken, and back
  await page.getByRole('button', { name: 'clip 0.1 %' }).click();
  await expect(page.getByText(/of the heights lie beyond the range/)).toBeVisible();
  await page.getByRole('button', { name: 'Show the clipped texels on the surface' }).click();
  await expect(page.getByRole('status', { name: 'Texels of note on the surface' })).toContainText(/clipped\s*[1-9]/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible();
  await expect(page.getByText('rest is a code')).toBeVisible();

  // the high end of the Gauge by mouse: the scale follows at once, and undo brings it back
  const scale = page.getByLabel('Scale', { exact: true });
  const fitted = await scale.inputValue();
  const high = await centre(page.getByRole('slider', { name: 'high end' }));
  await page.mouse.move(high.x, high.y);
  await page.mouse.down();
  await page.mouse.move(high.x - 60, high.y, { steps: 5 });
  await page.mouse.up();
  await expect(scale).not.toHaveValue(fitted);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(scale).toHaveValue(fitted);

  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  const tolerance = page.getByLabel('Tolerance', { exact: true });
  await expect(page.getByText(/Proposed: half a pixel, = 0\.\d+ mm/)).toBeVisible();
  await page.getByText('Seen in a shot that frames the asset').click();
  await page.getByLabel('Nearest distance').fill('4000');
  await page.getByLabel('Nearest distance').blur();
  await tolerance.fill('1');
  await tolerance.blur();
  await expect(page.getByText('= 0.7031 mm, at 1.42 px/mm')).toBeVisible();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await expect(page.getByText('Good to pull', { exact: true })).toBeVisible({ timeout: 240_000 });
  // what was proven is shown at once, against the sculpt
  await expect(page.getByRole('radio', { name: 'proof', exact: true })).toBeChecked();
  const left = Number((await valueOf(page, 'RMS left')).split(' ')[0]);
  expect(left).toBeGreaterThan(0);
  expect(left).toBeLessThan(12);

  const saved = async (link: Locator): Promise<{ name: string; start: string }> => {
    const download = page.waitForEvent('download');
    await link.click();
    const file = await download;
    return {
      name: file.suggestedFilename(),
      start: readFileSync(await file.path())
        .subarray(0, 2)
        .toString(),
    };
  };
  expect(await saved(page.getByRole('link', { name: /Save this file/ }))).toEqual({
    name: 'harbour-bell_scalar_L0-L2_16i.tif',
    start: 'II',
  });

  await page.getByRole('button', { name: 'Look closer' }).click();
  await expect(page.getByText(/squared, they add up to the proof's.*subdivisions .* are (enough|the best of those looked at)/)).toBeVisible(
    { timeout: 240_000 },
  );
  await expect(page.getByRole('row', { name: /^[34] (enough|best)/ })).toBeVisible();
  await page.getByRole('button', { name: /^Fly to place 1,/ }).click();
  await expectAccessible(page, 'Proof');

  // the normal map of the same pass
  await page.getByRole('button', { name: /^Normals, level 0 to 2/ }).press('Enter');
  await page.getByRole('tab', { name: /^Calibrate, / }).click();
  await expect(page.getByText(/rounding turns no normal by more than/)).toBeVisible();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await tolerance.fill('5');
  await tolerance.blur();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await expect(page.getByText('Good to pull', { exact: true })).toBeVisible({ timeout: 240_000 });

  // both into a delivery, whose sheet shows at once; a second version beside it differs in nothing
  await page.getByRole('button', { name: 'Deliver', exact: true }).click();
  await page.getByRole('button', { name: 'Make version 1' }).click();
  const sheet = page.frameLocator('iframe');
  await expect(sheet.getByText('Displacement along the normal')).toBeVisible({ timeout: 120_000 });
  await expect(sheet.getByText('harbour-bell_normal_L0-L2_16i.tif')).toBeVisible();
  expect(await saved(page.getByRole('link', { name: 'save the zip' }))).toEqual({ name: 'harbour-bell_v001.zip', start: 'PK' });
  await page.getByRole('button', { name: 'Make version 2' }).click();
  await page.getByRole('button', { name: 'compare with the one shown' }).click({ timeout: 120_000 });
  await expect(page.getByText('Nothing but the version and the date')).toBeVisible();
  await expectAccessible(page, 'Deliver');
  await page.getByRole('tab', { name: /^Proof/ }).click();
  await page.getByRole('button', { name: /^Heights, level 0 to 2/ }).press('Enter');

  // a tolerance that cannot be kept, by keyboard this time
  await choose(page, 'Tolerance in', 'mm');
  await tolerance.fill('0.001');
  await tolerance.press('Tab');
  await page.getByRole('button', { name: 'Prove again' }).press('Enter');
  await expect(page.getByText('Hold', { exact: true })).toBeVisible({ timeout: 240_000 });
  expect(complaints).toEqual([]);
});

test('the Mooring buoy: heights fail, and the words lead on', async ({ page }) => {
  await page.goto(application.url);
  await page.getByRole('link', { name: /Mooring buoy/ }).click();
  await choose(page, 'Map size', '512 x 512');
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('Texels covered')).toBeVisible({ timeout: 180_000 });
  await page.getByRole('button', { name: 'Calibrate', exact: true }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible();

  // a second tab on the same encoding: it follows until it changes something itself; then the first is told, and nothing is lost
  const other = await page.context().newPage();
  await other.goto(page.url());
  const scale = (tab: Page): Locator => tab.getByLabel('Scale', { exact: true });
  const before = await scale(page).inputValue();
  await expect(scale(other)).toHaveValue(before);
  await scale(page).fill('150');
  await Promise.all([page.waitForResponse(/\/encoding$/), scale(page).press('Enter')]);
  await expect(scale(other)).toHaveValue('150');
  await scale(other).fill('120');
  await Promise.all([other.waitForResponse(/\/encoding$/), scale(other).press('Enter')]);
  await expect(page.getByText(/changed in another tab: 16 bit.*scale 120/)).toBeVisible();
  await page.getByRole('button', { name: 'Keep this one' }).click();
  await other.getByRole('button', { name: 'Take theirs' }).click();
  await expect(scale(other)).toHaveValue('150');
  await other.getByRole('button', { name: 'Undo' }).click();
  await expect(scale(other)).toHaveValue('120');
  await page.getByRole('button', { name: 'Take theirs' }).click();
  await expect(scale(page)).toHaveValue('120');
  await other.close();

  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await prove(page, '1', 'Hold');
  await expect(page.getByText(/of the sculpt is not reached.*needs vector displacement/)).toBeVisible();
  await page.getByRole('button', { name: /Fly to place 1, .* sculpt not reached/ }).click();
  const reached = async (): Promise<number> => Number((await valueOf(page, 'reached share')).split(' ')[0]);
  const byHeights = await reached();

  // the words lead to vectors: measured with openness in one pass, the normal sent into green, proven
  await page.getByRole('tab', { name: 'Maps, ready' }).click();
  await page.getByText('Extract again with other settings').click();
  await page.getByLabel('V vectors').check();
  await page.getByLabel('S heights').uncheck();
  await page.getByLabel('O occlusion').check();
  await choose(page, 'Occlusion rays', '16 a sample');
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByRole('button', { name: /^Occlusion, level 0 to 2, 512 texels, ready/ })).toBeVisible({ timeout: 240_000 });
  await page.getByRole('button', { name: /^Vectors, level 0 to 2/ }).press('Enter');
  await page.getByRole('button', { name: 'Calibrate', exact: true }).click();
  await expect(page.getByText(/half is enough/)).toBeVisible();
  await page.getByRole('radio', { name: '16 bit' }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible();
  await choose(page, 'Green holds', '+N, normal');
  await expect(page.getByLabel('Any of the 48')).toHaveValue('R=+U G=+N B=+V');
  await page.getByRole('button', { name: 'full, each its own' }).click();
  await expect(page.getByText(/stored value, 16 bit, a range for each channel/)).toBeVisible();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await prove(page, '5', 'Good to pull');
  expect(byHeights).toBeLessThan(90);
  expect(await reached()).toBeGreaterThan(99);
  expect(await valueOf(page, 'axis order')).toBe('R=+U G=+N B=+V');

  // openness moves nothing: its file is written and read back
  await page.getByRole('button', { name: /^Occlusion, level 0 to 2/ }).press('Enter');
  await page.getByRole('tab', { name: 'Calibrate, ready' }).click();
  await expect(page.getByText(/16 bit holds this map to within/)).toBeVisible();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await page.getByRole('button', { name: 'Write and read back' }).click();
  await expect(page.getByText('the file, read back')).toBeVisible({ timeout: 120_000 });
});

test('own files by picker, and files that cannot be used', async ({ page }) => {
  await page.goto(application.url);
  const plane = (n: number, z: number): string => {
    const lines: string[] = [];
    for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`v ${i / n} ${z} ${-j / n}`, `vt ${i / n} ${j / n}`);
    const at = (i: number, j: number): string => `${j * (n + 1) + i + 1}/${j * (n + 1) + i + 1}`;
    for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) lines.push(`f ${at(i, j)} ${at(i + 1, j)} ${at(i + 1, j + 1)} ${at(i, j + 1)}`);
    return `${lines.join('\n')}\n`;
  };
  const pick = (files: Record<string, string>): Promise<void> =>
    page
      .getByLabel('Mesh files', { exact: true })
      .setInputFiles(Object.entries(files).map(([name, text]) => ({ name, mimeType: 'model/obj', buffer: Buffer.from(text) })));

  await pick({ 'notes.txt': 'hello' });
  await expect(page.getByRole('alert')).toContainText('notes.txt is not a mesh that can be read');
  await pick({ 'slab low.obj': plane(2, 0) });
  await expect(page.getByText('One mesh by itself')).toBeVisible();
  await pick({ 'slab.obj': `${plane(8, 0.1)}f 1 2 9999\n` });
  await expect(page.getByRole('alert')).toContainText(/slab\.obj:\d+: a face names point 9999/);
  await pick({ 'slab.obj': plane(9, 0.1) });
  await expect(page.getByText('A light mesh and a free sculpt')).toBeVisible();
  await page.getByLabel('Name').fill('Slab');
  await page.getByRole('button', { name: 'Bring in', exact: true }).click();
  // opened by itself when it is there
  await expect(page).toHaveURL(/\/assets\/[^/]+\/maps/, { timeout: 60_000 });
  await page.getByRole('tab', { name: /^Sculpt/ }).click();
  await expect(page.getByText('A light mesh and a free sculpt')).toBeVisible();
  await expect(page.getByText('1 open border;')).toBeVisible();
  // the light mesh again, with one point lifted: it says how many, how far and where, and lights the faces
  const again = plane(2, 0).replace('v 0.5 0 -0.5', 'v 0.5 0.25 -0.5');
  await page
    .locator('est-low-again input[type=file]')
    .setInputFiles({ name: 'slab low.obj', mimeType: 'model/obj', buffer: Buffer.from(again) });
  await expect(page.getByText(/1 point moved by up to 0\.25 mm .* farthest at 0\.5 0\.25 -0\.5/)).toBeVisible();
  await page.getByRole('button', { name: 'Next face of points-moved' }).click();
  await expect(page.getByText('1 of 4: face 0')).toBeVisible();
  await page
    .locator('est-low-again input[type=file]')
    .setInputFiles({ name: 'slab low.obj', mimeType: 'model/obj', buffer: Buffer.from(plane(2, 0)) });
  await expect(page.getByText(/1 point moved by up to 0\.25 mm .* farthest at 0\.5 0 -0\.5/)).toBeVisible();
  await page.getByRole('tab', { name: /^Maps/ }).click();
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.locator('est-measured-map').getByText('0.1 to 0.1 mm')).toBeVisible({ timeout: 120_000 });

  // a second part joins it, in the way the first was measured, and both are measured in one go
  await page.getByRole('tab', { name: /^Sculpt/ }).click();
  await page.getByText('Add a part').click();
  await pick({ 'lid low.obj': plane(2, 0), 'lid.obj': plane(9, 0.3) });
  await page.getByLabel('Name').fill('Lid');
  await page.getByRole('button', { name: 'Bring in', exact: true }).click();
  await openPart(page, 'Lid');
  await expect(page.getByRole('heading', { name: 'Slab, Lid' })).toBeVisible();
  await page.getByRole('tab', { name: /^Maps/ }).click();
  await expect(page.getByRole('heading', { name: 'New span, level 0 to 1' })).toBeVisible();
  await page.getByRole('group', { name: 'Other parts' }).getByLabel('Slab').check();
  await page.getByRole('button', { name: 'Extract 2 parts' }).click();
  await expect(page.locator('est-measured-map').getByText('0.3 to 0.3 mm')).toBeVisible({ timeout: 120_000 });
  await page.getByRole('button', { name: /^The press/ }).click();
  const onPress = page.getByRole('dialog').getByText('Extract Slab, Lid, levels 0 to 1, heights');
  await expect(onPress).toBeVisible();
  await expect(async () => {
    // the first may be for a tooltip
    await page.keyboard.press('Escape');
    await expect(onPress).toBeHidden({ timeout: 1000 });
  }).toPass();
  await openPart(page, 'Slab');
  await expect(page.locator('est-measured-map').getByText('0.1 to 0.1 mm')).toBeVisible();

  // another name, away, and back again
  await page.getByRole('link', { name: 'Estampe, all assets' }).click();
  await page.getByRole('button', { name: 'More about Slab' }).click();
  await page.getByRole('menuitem', { name: 'Rename Slab' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('Slipway slab');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('link', { name: /Slipway slab/ })).toBeVisible();
  await page.getByRole('button', { name: 'More about Slipway slab' }).click();
  await page.getByRole('menuitem', { name: 'Remove Slipway slab' }).click();
  await expect(page.getByRole('link', { name: /Slipway slab/ })).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('link', { name: /Slipway slab/ })).toBeVisible();
  await page.getByLabel('Search').fill('slip');
  await expect(page.getByText(/^1 of \d$/)).toBeVisible();
  await expectAccessible(page, 'all assets', false);
});

test('the Tiled quay stone: one tile by ticking, pieces while it runs, the rest into the same span, one range, no line', async ({
  page,
}) => {
  await page.goto(application.url);
  await page.getByRole('link', { name: /Tiled quay stone/ }).click();
  await expect(page.getByRole('button', { name: /^Level 2, 17/ })).toBeVisible();
  await choose(page, 'Map size', '512 x 512');
  await expect(page.getByLabel(/match seams/)).toBeChecked(); // proposed
  for (const tile of ['1001', '1002', '1011']) await page.getByRole('group', { name: 'Tiles' }).getByLabel(tile).uncheck();
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('512 x 512, 1 of 4 tiles')).toBeVisible({ timeout: 120_000 });
  await page.getByText('The file').click();
  await expect(page.getByText('Not measured yet: 1001, 1002, 1011.')).toBeVisible();

  // the settings under a name, and back
  await page.getByText('Extract again with other settings').click();
  await page.getByLabel('Name for these settings').fill('Stone heights');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByRole('combobox', { name: 'Recipe' }).click();
  await expect(page.getByRole('option', { name: 'Stone heights' })).toBeVisible();
  await page.keyboard.press('Escape');

  for (const tile of ['1001', '1002', '1011']) await page.getByRole('group', { name: 'Tiles' }).getByLabel(tile).check();
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('512 x 512, 4 tiles')).toBeVisible({ timeout: 180_000 });
  await expect(page.locator('est-ladder').getByRole('button', { name: /^Heights, level 0 to 2/ })).toHaveCount(1);
  await page.getByLabel('relief').check();
  await page.getByRole('button', { name: /^The press/ }).click();
  await expect(page.getByText(/^Extract Tiled quay stone, levels 0 to 2, heights, tile 1012$/)).toBeVisible();
  await page.keyboard.press('Escape');

  await page.getByRole('button', { name: 'Calibrate', exact: true }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await prove(page, '0.5', 'Good to pull');
  await expect(page.getByRole('link', { name: /Save this file|\.1012\./ }).first()).toBeVisible();

  // another asset: the recipe says why it does not fit there, or is taken
  await page.goto(`${application.url}/`);
  await page.getByRole('link', { name: /Mooring buoy/ }).click();
  await page.getByRole('tab', { name: /^Maps, / }).click();
  // spans of the buoy may be there already: then the settings are folded
  const settings = page.getByRole('button', { name: /^(Settings|Extract again with other settings)$/ });
  if ((await settings.getAttribute('aria-expanded')) === 'false') await settings.click();
  await choose(page, 'Recipe', /Stone heights/);
  await expect(page.getByText('It measures tile 1012, and Mooring buoy uses 1001.')).toBeVisible();
});

test('a light mesh without UVs and a sculpt, by mouse to a map that is proven', async ({ page }) => {
  await page.goto(application.url);
  const bump = (x: number, z: number): number => 0.05 * Math.sin(3 * Math.PI * x) * Math.sin(2 * Math.PI * z);
  const sheet = (n: number): string => {
    const lines: string[] = [];
    const at = (i: number, j: number): number => j * (n + 1) + i + 1;
    for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) lines.push(`v ${i / n} ${n === 4 ? 0 : bump(i / n, j / n)} ${-j / n}`);
    for (let j = 0; j < n; j++) for (let i = 0; i < n; i++) lines.push(`f ${at(i, j)} ${at(i + 1, j)} ${at(i + 1, j + 1)} ${at(i, j + 1)}`);
    return `${lines.join('\n')}\n`;
  };
  await page.getByLabel('Mesh files', { exact: true }).setInputFiles([
    { name: 'deck low.obj', mimeType: 'model/obj', buffer: Buffer.from(sheet(4)) },
    { name: 'deck.ply', mimeType: 'application/octet-stream', buffer: binaryPly(sheet(61)) },
  ]);
  await expect(page.getByText('A light mesh and a free sculpt')).toBeVisible();
  await page.getByLabel('Name').fill('Deck');
  await page.getByRole('button', { name: 'Bring in', exact: true }).click();
  // opened by itself when it is there
  await expect(page).toHaveURL(/\/assets\/[^/]+\/maps/, { timeout: 60_000 });
  // what is missing is said, and leads on
  await page.getByRole('tab', { name: /^Sheet/ }).click();
  await page.getByRole('button', { name: 'Unwrap', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Maps', exact: true })).toBeEnabled({ timeout: 120_000 });
  await page.getByRole('button', { name: 'Maps', exact: true }).click();
  await choose(page, 'Map size', '512 x 512');
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('Texels covered')).toBeVisible({ timeout: 120_000 });
  expect(await valueOf(page, 'Missed')).toBe('0');
  await page.getByRole('button', { name: 'Calibrate', exact: true }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await prove(page, '0.001', 'Good to pull');
});

/** The points and quads of OBJ text as a little-endian PLY. */
function binaryPly(obj: string): Buffer {
  const rows = (mark: string): number[][] =>
    obj.split('\n').flatMap((line) => (line.startsWith(`${mark} `) ? [line.split(' ').slice(1).map(Number)] : []));
  const [points, quads] = [rows('v'), rows('f')];
  const head = `ply\nformat binary_little_endian 1.0\nelement vertex ${points.length}\nproperty float x\nproperty float y\nproperty float z\nelement face ${quads.length}\nproperty list uchar int vertex_indices\nend_header\n`;
  const body = Buffer.alloc(12 * points.length + 17 * quads.length);
  points.flat().forEach((x, i) => body.writeFloatLE(x, 4 * i));
  quads.forEach((quad, f) => {
    const at = 12 * points.length + 17 * f;
    body.writeUInt8(4, at);
    quad.forEach((v, k) => body.writeInt32LE(v - 1, at + 1 + 4 * k));
  });
  return Buffer.concat([Buffer.from(head), body]);
}

test('the grown holdfast: a level transferred, brushed, and back again; settled', async ({ page }) => {
  await page.goto(application.url);
  await page.getByRole('link', { name: /Kelp holdfast/ }).click();
  await openPart(page, 'Grown');
  await page.getByRole('tab', { name: /^Levels/ }).click();
  await page.getByRole('textbox', { name: 'Levels' }).fill('1');
  await page.getByRole('button', { name: 'Transfer', exact: true }).click();
  await page.getByRole('button', { name: 'Open it' }).click({ timeout: 240_000 });
  const steps = page.getByRole('table', { name: 'Transfer' });
  const offBy = async (): Promise<number> => Number(await steps.getByRole('row', { name: /^1 / }).getByRole('cell').nth(1).innerText());
  await expect(steps.getByRole('row')).toHaveCount(2); // as many levels as were asked for

  // a stroke over the middle of the Stage, taken back, and another one kept
  await page.getByRole('button', { name: /^Brush/ }).click();
  await page.getByRole('radio', { name: 'out', exact: true }).click();
  const middle = await centre(page.locator('est-stage canvas'));
  const stroke = async (): Promise<void> => {
    await page.mouse.move(middle.x - 20, middle.y);
    await page.mouse.down();
    await page.mouse.move(middle.x + 20, middle.y, { steps: 4 });
    await page.mouse.up();
    await expect(page.getByText('1 stroke, not kept yet')).toBeVisible();
  };
  await stroke();
  await page.getByRole('button', { name: 'Take back' }).click();
  await expect(page.getByText('0 strokes, not kept yet')).toBeVisible();
  await stroke();
  const before = await offBy();
  await page.getByRole('button', { name: 'Keep them' }).click();
  await expect.poll(() => offBy(), { timeout: 120_000 }).toBeGreaterThan(before);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect.poll(() => offBy()).toBe(before);

  await page.getByRole('button', { name: 'Settle the base' }).click();
  await expect(page.getByText(/smooth surface off by [0-9.]+ mm before, [0-9.]+ after/).first()).toBeVisible();
  await expect(page.getByRole('button', { name: 'Settle the base' })).toBeVisible({ timeout: 120_000 });
  await expectAccessible(page, 'Levels, settled');
});
