/** What a user waits for, in headless Chromium: opening, a typed change, frames while the cell runs. */
import { coresOf, framesOf, withPage } from './browser.js';
import { line } from './measure.js';

export default async function run(root: string): Promise<void> {
  await withPage(root, 4990, async (page, base) => {
    const url = `${base}/projects/wire-end-crimp-cell/logic`;
    const opened: number[] = [];
    for (let i = 0; i < 8; i++) {
      const before = performance.now();
      await page.goto(url, { waitUntil: 'commit' });
      await page
        .getByRole('button', { name: /^StopOK, contact normally open, closed, power/ })
        .or(page.getByRole('button', { name: /^StopOK, contact normally open, closed/ }))
        .first()
        .waitFor();
      opened.push(performance.now() - before);
    }
    line('page load to the first live rung', opened.slice(1), 'ms');

    // A change typed: from the key that keeps it to the new element live in the rung.
    const changed: number[] = [];
    for (let i = 0; i < 15; i++) {
      await page
        .getByRole('button', { name: /^GuardShut/ })
        .first()
        .click();
      await page.keyboard.type('!TrackLow');
      changed.push(
        await page.evaluate(
          () =>
            new Promise<number>((resolve) => {
              const input = document.querySelector<HTMLInputElement>('input[aria-label="New element"]')!;
              const before = performance.now();
              const look = () => {
                if ([...document.querySelectorAll('[aria-label^="TrackLow, contact normally closed, closed"]')].length)
                  resolve(performance.now() - before);
                else requestAnimationFrame(look);
              };
              input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
              look();
            }),
        ),
      );
      await page.keyboard.press('Control+z');
      await page
        .getByRole('button', { name: /^TrackLow/ })
        .first()
        .waitFor({ state: 'detached' });
    }
    line('a typed change to the bench running it, on screen', changed, 'ms');

    await page.getByRole('button', { name: 'Start', exact: true }).hover();
    await page.mouse.down();
    await page.waitForTimeout(200);
    await page.mouse.up();
    line('frames a second while the cell runs', await framesOf(page), 'fps');
    const before = await coresOf(page, 5);
    line('the browser while the cell runs, of a core', before.all, '');
    line('  of it the page with its workers', before.page, '');
    await page.keyboard.press('F5');
    line('the same paused', (await coresOf(page, 3)).all, '');
  });
}
