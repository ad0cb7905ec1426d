// Makes the pictures of docs/screenshots anew from the demo assets of a running application with a fresh database:
//   node scripts/screenshots.mjs http://127.0.0.1:4300 [view ...]
// All views if none is named; they measure what they show, which takes some twenty minutes. `SHOTS` is another folder.
// `findings.png` and `kinds.png` are put together from many pictures and are not among them.
import { join } from 'node:path';
import { chromium } from 'playwright-core';

const [address, ...wanted] = process.argv.slice(2);
if (address === undefined) throw new Error('say where the application runs: node scripts/screenshots.mjs http://127.0.0.1:4300');
const folder = process.env.SHOTS ?? join(import.meta.dirname, '../docs/screenshots');
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--use-angle=swiftshader', '--enable-unsafe-swiftshader', '--disable-gpu-compositing'],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.setDefaultTimeout(Number(process.env.PATIENCE ?? 300_000));

const button = (name) => page.getByRole('button', { name, exact: typeof name === 'string' });
const step = (name) => page.getByRole('tab', { name }).click();
const choose = async (label, option) => {
  await page.getByRole('combobox', { name: label, exact: true }).click();
  await page.getByRole('option', { name: option }).click();
};
const asset = async (name, part) => {
  await page.goto(address);
  await page.getByRole('link', { name }).click();
  if (part === undefined) return;
  await button('Part').click();
  await page.getByRole('menuitemradio', { name: part, exact: typeof part === 'string' }).click();
};
/** Once the camera rests and the finest level stands, without a tooltip. */
const shot = async (name) => {
  await page.mouse.move(4, 796);
  await page.waitForTimeout(4000);
  await page.screenshot({ path: join(folder, `${name}.png`) });
  console.log(name);
};

const get = async (path) => (await fetch(`${address}/api${path}`)).json();

const KINDS = /^[A-Z] (heights|vectors|normals|occlusion|hollows|curvature|thickness|colours)$/;
/** Measures these kinds over the proposed span. */
const measure = async (kinds, texels = '1024 x 1024', until = 'ready') => {
  await step(/^Maps/);
  const settings = button(/^(Settings|Extract again with other settings)$/).first();
  if ((await settings.getAttribute('aria-expanded')) === 'false') await settings.click();
  await choose('Map size', texels);
  const boxes = await page.getByRole('checkbox', { name: KINDS }).all();
  // what is wanted first: one at least stays ticked
  for (const on of [true, false])
    for (const box of boxes) {
      const label = await box.evaluate((input) => input.labels[0].textContent.trim());
      if (kinds.some((kind) => label.endsWith(kind)) === on) await box.setChecked(on);
    }
  await button('Extract').click();
  for (const kind of kinds) await button(new RegExp(`^${kind}, level 0 .*${until}`, 'i')).waitFor();
};
const calibrate = async () => {
  await step(/^Calibrate/);
  await page.getByText(/(bit|half|float) is enough/).waitFor();
  await page
    .getByText(/terraces on|is enough/)
    .first()
    .waitFor();
  await page.getByText('–', { exact: true }).first().waitFor({ state: 'hidden' }); // ranges that are still being counted
};
const prove = async () => {
  await step(/^Proof/);
  const again = button('Prove again');
  if ((await again.count()) > 0) return;
  await button('Prove').click();
  await again.waitFor();
  await page.getByText(/^\s*(Good to pull|Hold)\s*$/).waitFor();
};
const rung = (name) => button(name).press('Enter');

const VIEWS = {
  async sculpt() {
    await asset(/Harbour bell/);
    await step(/^Sculpt/);
    await page.getByText('base-unsettled').waitFor();
    await shot('sculpt');
  },
  async groups() {
    await asset(/Harbour bell/);
    await step(/^Sculpt/);
    await button(/^Groups/).click();
    await page.getByRole('radio', { name: 'lasso' }).click();
    const stage = await page.locator('est-stage canvas').boundingBox();
    const around = Array.from({ length: 25 }, (_, i) => (i / 24) * 2 * Math.PI);
    const at = (a) => [stage.x + stage.width * (0.5 + 0.12 * Math.cos(a)), stage.y + stage.height * (0.5 + 0.1 * Math.sin(a))];
    await page.mouse.move(...at(0));
    await page.mouse.down();
    for (const a of around) await page.mouse.move(...at(a));
    await page.mouse.up();
    await shot('groups');
  },
  async maps() {
    await asset(/Harbour bell/);
    await measure(['heights', 'normals']);
    await rung(/^Heights, level 0/);
    await shot('maps');
  },
  async calibrate() {
    await asset(/Harbour bell/);
    await rung(/^Heights, level 0/);
    await calibrate();
    await shot('calibrate');
  },
  async proof() {
    await asset(/Harbour bell/);
    await rung(/^Heights, level 0/);
    await calibrate();
    await prove();
    await shot('proof');
  },
  async dark() {
    await asset(/Harbour bell/);
    await rung(/^Heights, level 0/);
    await step(/^Proof/);
    await button('Dark room').click();
    await page.getByRole('radio', { name: 'error', exact: true }).click();
    await shot('dark-room');
    await button('Light room').click();
  },
  async deliver() {
    await asset(/Harbour bell/);
    await step(/^Deliver/);
    await button('Make version 1').click();
    await page.frameLocator('iframe').getByText('Displacement along the normal').waitFor();
    await shot('deliver');
  },
  async buoy() {
    await asset(/Mooring buoy/);
    await measure(['heights']);
    await calibrate();
    await prove();
    await shot('buoy-proof');
    await measure(['vectors'], '2048 x 2048');
    await rung(/^Vectors, level 0 .* 2048/);
    await calibrate();
    await prove();
    await shot('buoy-vectors');
  },
  async thickness() {
    await asset(/Mooring buoy/);
    await measure(['thickness']);
    await rung(/^Thickness, level 0 .*ready/);
    await shot('thickness');
  },
  async sheet() {
    await asset(/Mooring buoy/);
    await step(/^Sheet/);
    await button('Unwrap').click();
    await button('Cancel').waitFor();
    await button('Cancel').waitFor({ state: 'hidden' });
    await page.getByRole('radio', { name: 'stretch' }).click();
    await page.getByRole('radio', { name: 'light mesh' }).click();
    await shot('sheet');
  },
  async tiles() {
    await asset(/Tiled quay stone/);
    await measure(['heights'], '512 x 512');
    await page.getByText('512 x 512, 4 tiles').waitFor();
    await page.getByLabel('relief').check();
    await shot('tiles');
  },
  async free() {
    await asset(/Kelp holdfast/);
    await measure(['heights']);
    await shot('free-sculpt');
  },
  async press() {
    await asset(/Harbour bell/);
    await step(/^Maps/);
    await measure(['occlusion', 'curvature'], '1024 x 1024', 'running');
    await button(/^The press/).click();
    await shot('press');
  },
  async levels() {
    await asset(/Kelp holdfast/, 'Grown');
    await step(/^Levels/);
    await button('Transfer').click();
    await button('Open it').click();
    await page.getByRole('table', { name: 'Transfer' }).waitFor();
    await shot('levels');
  },
  /** After `levels`: the grown holdfast before and after its transfer, its map before and after settling, put side by side. */
  async transferred() {
    const crops = [];
    const crop = async (what, says) => {
      await page.mouse.move(4, 796);
      await page.waitForTimeout(4000);
      const { x, y, width, height } = await page.locator(`${what} canvas`).first().boundingBox();
      const tall = Math.min(height, 0.9 * width);
      const png = await page.screenshot({ clip: { x, y: y + (height - tall) / 2, width, height: tall } });
      crops.push(`<figure><img src="data:image/png;base64,${png.toString('base64')}"><figcaption>${says}</figcaption></figure>`);
    };
    await asset(/Kelp holdfast/, 'Grown');
    await step(/^Levels/);
    await crop('est-stage', 'The free sculpt, 196,608 triangles');
    await asset(/Kelp holdfast/, /^Grown.*levels/);
    await step(/^Levels/);
    await page.getByRole('radio', { name: 'light mesh' }).click();
    await crop('est-stage', 'Before: the light mesh, 1,536 faces');
    await page.getByRole('radio', { name: 'sculpt' }).click();
    await crop('est-stage', 'After: its level 3, put onto the sculpt');
    await measure(['heights']);
    await crop('est-sheet', 'Heights of that stack: what level 0 leaves to the map');
    await step(/^Levels/);
    await button('Settle the base').click();
    await page
      .getByText(/smooth surface off by/)
      .first()
      .waitFor();
    await measure(['heights']);
    await crop('est-sheet', 'The same after the light mesh was settled');
    await measure(['vectors'], '2048 x 2048');
    await calibrate();
    await prove();
    await page.getByRole('radio', { name: 'error', exact: true }).click();
    await crop('est-stage', 'Proof of its vector map: what is left');
    await page.setContent(`<style>body { margin: 0; width: 1216px; display: grid; grid-template-columns: repeat(3, 400px); gap: 8px; padding: 8px; font: 14px serif; }
      figure { margin: 0; } img { width: 400px; height: 360px; object-fit: cover; }</style>${crops.join('')}`);
    await page.locator('body').screenshot({ path: join(folder, 'transferred.png') });
    console.log('transferred');
  },
  async library() {
    await page.goto(address);
    const dropped = [];
    for (const [name, file, levels] of [
      ['Harbour bell', 'bell', [0, 1, 2]],
      ['Mooring buoy', 'buoy', [0, 2]],
    ]) {
      const { id } = (await get('/assets')).find((a) => a.name === name);
      const { part } = await get(`/assets/${id}`);
      for (const level of levels) {
        const bytes = await (await fetch(`${address}/api/parts/${part.id}/level-file?level=${level}&format=ply`)).arrayBuffer();
        dropped.push({ name: `${file}_${level}.ply`, mimeType: 'application/octet-stream', buffer: Buffer.from(bytes) });
      }
    }
    await page.getByLabel('Mesh files', { exact: true }).setInputFiles(dropped);
    await button(/^Bring (them )?in/).waitFor();
    await shot('library');
  },
};
for (const name of wanted.length > 0 ? wanted : Object.keys(VIEWS)) {
  const view = VIEWS[name];
  if (view === undefined) throw new Error(`there is no view '${name}'; there are ${Object.keys(VIEWS).join(', ')}`);
  // one that does not come keeps none of the others from coming
  await view().catch((error) => {
    process.exitCode = 1;
    console.error(`${name}: ${error.message}`);
  });
}
await browser.close();
