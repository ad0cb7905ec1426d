import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect } from '@playwright/test';

/** Expects that the checker finds nothing serious on the page as it stands, in the light room and in the dark one, which are
 *  changed on the bench. */
export async function expectAccessible(page: Page, where: string, bothRooms = true): Promise<void> {
  for (const [room, change] of [['light', 'Dark room'], ['dark', 'Light room']]) {
    await coloursSettled(page);
    const checker = new AxeBuilder({ page });
    // the rooms differ in their colours only
    const { violations } = await (room === 'dark' ? checker.withRules('color-contrast') : checker).analyze();
    const serious = violations.filter((v) => v.impact === 'serious' || v.impact === 'critical');
    const found = serious.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target.join(' ')} ${n.failureSummary ?? ''}`));
    expect(found, `${where}, ${room} room`).toEqual([]);
    if (!bothRooms) return;
    await page.getByRole('button', { name: change }).click();
  }
} // prettier-ignore

/** Colours change and things come and go over a moment, which is long where the page has little time to draw. */
async function coloursSettled(page: Page): Promise<void> {
  await page.mouse.move(0, 0); // what is pointed at explains itself
  // two frames: then what changes has begun to
  await page.evaluate(() => new Promise((begun) => requestAnimationFrame(() => requestAnimationFrame(begun))));
  await page.waitForFunction(() =>
    document.getAnimations().every((a) => a.playState !== 'running' || a.effect?.getComputedTiming().iterations === Infinity),
  );
}
