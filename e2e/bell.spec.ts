import { readFileSync } from 'node:fs';
import type { Locator, Page } from '@playwright/test';
import { expect, test } from '@playwright/test';
import { Application } from './application';

const application = new Application();
test.beforeAll(() => application.start(4));
test.afterAll(() => application.stop());

const centre = async (locator: Locator): Promise<{ x: number; y: number }> => {
  const box = await locator.boundingBox();
  if (!box) throw new Error('not on the screen');
  return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
};
const valueOf = async (page: Page, row: string): Promise<string> =>
  (
    await page
      .locator('tr', { has: page.locator(`th:text-is("${row}")`) })
      .locator('td')
      .first()
      .innerText()
  ).trim();

test('the Harbour bell by mouse alone: span, extract, 16 bit, proof, map file', async ({ page }) => {
  const complaints: string[] = [];
  page.on('console', (message) => {
    if (message.type() === 'error') complaints.push(message.text());
  });
  page.on('pageerror', (error) => complaints.push(error.message));

  await page.goto(application.url);
  await page.getByRole('link', { name: /Harbour bell/ }).click();
  await expect(page.getByRole('button', { name: /^Level 4, 327/ })).toBeVisible();

  // a span from rung 0 to the top, drawn with the mouse
  const from = await centre(page.getByRole('button', { name: /^Level 0,/ }));
  const to = await centre(page.getByRole('button', { name: /^Level 4,/ }));
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x, (from.y + to.y) / 2, { steps: 4 });
  await page.mouse.move(to.x, to.y, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByRole('heading', { name: 'New span 0 to 4, scalar' })).toBeVisible();
  await page.getByLabel('Map size').selectOption('1024');
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('Texels covered')).toBeVisible({ timeout: 180_000 });
  expect(await valueOf(page, 'Missed')).toBe('0');

  await page.getByRole('button', { name: 'Calibrate', exact: true }).click();
  await page.getByRole('button', { name: '8', exact: true }).click();
  await expect(page.getByText(/8 bit shows terraces on/)).toBeVisible();
  await page.getByRole('button', { name: '16', exact: true }).click();
  await expect(page.getByText(/16 bit is enough/)).toBeVisible();
  await expect(page.getByLabel('Midpoint', { exact: true })).toHaveValue('32768/65535');

  // the high end of the Gauge by mouse: the scale follows at once, and undo brings it back
  const scale = page.getByLabel('Scale (mm)');
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
  await page.getByLabel('Tolerance (mm)').fill('0.5');
  await page.getByLabel('Tolerance (mm)').blur();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await expect(page.getByText('Good to pull', { exact: true })).toBeVisible({ timeout: 240_000 });
  const left = Number((await valueOf(page, 'RMS left')).split(' ')[0]);
  expect(left).toBeGreaterThan(0);
  expect(left).toBeLessThan(12);

  const download = page.waitForEvent('download');
  await page.getByRole('link', { name: /Save map file/ }).click();
  const file = await download;
  expect(file.suggestedFilename()).toBe('harbour-bell_scalar_L0-L4_16i.tif');
  expect(
    readFileSync(await file.path())
      .subarray(0, 2)
      .toString(),
  ).toBe('II');

  // a tolerance that cannot be kept, by keyboard this time
  await page.getByLabel('Tolerance (mm)').fill('0.001');
  await page.getByLabel('Tolerance (mm)').press('Tab');
  await page.getByRole('button', { name: 'Prove again' }).press('Enter');
  await expect(page.getByText('Hold', { exact: true })).toBeVisible({ timeout: 240_000 });
  expect(complaints).toEqual([]);
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
      .locator('input[type=file]')
      .setInputFiles(Object.entries(files).map(([name, text]) => ({ name, mimeType: 'model/obj', buffer: Buffer.from(text) })));

  await pick({ 'notes.txt': 'hello' });
  await expect(page.getByRole('alert')).toContainText('notes.txt is not an OBJ file');
  await pick({ 'slab low.obj': plane(2, 0) });
  await expect(page.getByText('Add the sculpt as well')).toBeVisible();
  await pick({ 'slab.obj': `${plane(8, 0.1)}f 1 2 9999\n` });
  await page.getByRole('button', { name: 'Bring in' }).click();
  await page.getByRole('button', { name: /The press/ }).click();
  await expect(page.getByText(/slab\.obj:\d+: a face names point 9999/)).toBeVisible();
  await page.keyboard.press('Escape');

  await pick({ 'slab low.obj': plane(2, 0), 'slab.obj': plane(9, 0.1) });
  await page.getByLabel('Name').fill('Slab');
  await page.getByRole('button', { name: 'Bring in' }).click();
  await page.getByRole('link', { name: /Slab/ }).click();
  await page.getByRole('link', { name: /^Sculpt/ }).click();
  await expect(page.getByText('A light mesh and a free sculpt')).toBeVisible();
  await expect(page.getByText('1 open border;')).toBeVisible();
  await page.getByRole('link', { name: /^Maps/ }).click();
  await page.getByLabel('To level').selectOption('0');
  await expect(page.getByText(/same level, so the map would be empty/)).toBeVisible();
  await page.getByLabel('To level').selectOption('1');
  await page.getByRole('button', { name: 'Extract', exact: true }).click();
  await expect(page.getByText('0.1 to 0.1 mm')).toBeVisible({ timeout: 120_000 });
});
