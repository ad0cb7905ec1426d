import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect } from '@playwright/test';

/** Expects that the checker finds nothing serious on the page as it stands, in the light room and in the dark one, which are
 *  changed on the bench. */
export async function expectAccessible(page: Page, where: string, bothRooms = true): Promise<void> {
  for (const [room, change] of [['light', 'Dark room'], ['dark', 'Light room']]) {
    const { violations } = await new AxeBuilder({ page }).analyze();
    const serious = violations.filter((v) => v.impact === 'serious' || v.impact === 'critical');
    const found = serious.flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target.join(' ')} ${n.failureSummary ?? ''}`));
    expect(found, `${where}, ${room} room`).toEqual([]);
    if (!bothRooms) return;
    await page.getByRole('button', { name: change }).click();
    await page.waitForTimeout(500); // colours change over a moment
  }
} // prettier-ignore
