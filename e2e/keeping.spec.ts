/** Nothing is lost: reload, restart, kill, two windows, broken files. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type BrowserContext, type Page, expect, test } from '@playwright/test';
import { PORT, demoText, element, openDemo, startProcess, toArea } from './ferrule.js';

const addRung = async (page: Page, text: string) => {
  await page.getByRole('application').focus();
  await page.keyboard.press('Insert');
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
};

/** A second window that could not save what it changed while the first one did, and is told so. */
async function bothChanged(page: Page, context: BrowserContext): Promise<{ id: string; other: Page }> {
  const id = await openDemo(page);
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(element(other, 1, 'StopOK')).toBeVisible();
  await other.route('**/edits', (route) => route.abort());
  await addRung(other, 'Fault -> LampReady');
  await expect(other.getByRole('alert')).toContainText('Not saved yet.');
  await addRung(page, 'Running -> LampTrack');
  await expect(page.getByText(/rev 2/).first()).toBeVisible();
  await other.unroute('**/edits');
  await expect(other.getByRole('alert')).toContainText('changed in another window');
  return { id, other };
}

test('a change survives a reload right after it', async ({ page }) => {
  await openDemo(page);
  await addRung(page, 'Running -> LampTrack');
  await page.reload();
  await expect(element(page, 2, 'LampTrack, coil')).toBeVisible();
});

test('a part of the page that does not come can be asked for again; after an update the page is loaded anew', async ({
  page,
}) => {
  await openDemo(page);
  await page.route('**/assets/TimingArea*', (route) => route.abort());
  await toArea(page, 'Timing');
  const alert = page.getByRole('alert').filter({ hasText: 'Try again' });
  await expect(alert).toHaveText('This part of the page could not be loaded. Try again');
  await page.unroute('**/assets/TimingArea*');
  await alert.getByRole('button', { name: 'Try again' }).click();
  await expect(page.getByRole('heading', { name: 'Timing' })).toBeVisible();
  // What works beside the page may not come either.
  await page.route('**/assets/campaign.worker*', (route) => route.fulfill({ status: 404 }));
  await toArea(page, 'Prove');
  await page.getByRole('button', { name: 'What the checks reach' }).click();
  await expect(page.getByText('It could not go on: that part of Ferrule did not come from the server')).toBeVisible();
  // Another version is there now, under other names.
  await page.route('**/assets/TagsArea*', (route) => route.fulfill({ status: 404 }));
  await page.route(new URL('/', page.url()).href, async (route) => {
    const answer = await route.fetch();
    await route.fulfill({ response: answer, body: (await answer.text()).replace(/index-[\w-]+\.js/, 'index-next.js') });
  });
  await toArea(page, 'Tags');
  await expect(page.getByText('Ferrule was updated since this page was opened.')).toBeVisible();
  await page.unroute('**/assets/TagsArea*');
  await page.getByRole('button', { name: 'Load the page anew' }).click();
  await expect(page.getByRole('searchbox', { name: 'Find tags' })).toBeVisible();
});

test('the top bar stays where it is while a change is being saved', async ({ page }) => {
  await openDemo(page);
  const run = page.getByRole('button', { name: 'Pause', exact: true }),
    before = await run.boundingBox();
  let goOn: () => void = () => undefined;
  const waits = new Promise<void>((r) => (goOn = r));
  await page.route('**/edits', async (route) => {
    await waits;
    await route.continue();
  });
  await addRung(page, 'Running -> LampTrack');
  await expect(page.getByText('saving', { exact: true })).toBeVisible();
  expect((await run.boundingBox())!.y).toBe(before!.y);
  const title = page.getByRole('banner').getByTitle('Wire-end crimp cell');
  const height = (await title.boundingBox())!.height;
  goOn();
  await expect(page.getByRole('link', { name: 'rev 2' })).toBeVisible();
  expect((await title.boundingBox())!.height).toBe(height);
});

test('a server killed and started again: the change of a second ago is there, and what was typed meanwhile too', async ({
  page,
}) => {
  const data = mkdtempSync(join(tmpdir(), 'ferrule-kill-'));
  const env = {
    FERRULE_PORT: String(PORT + 2),
    FERRULE_DATA: data,
    FERRULE_CONTROLLER: `http://127.0.0.1:${PORT + 1}`,
  };
  let server = await startProcess('server', env);
  const id = await openDemo(page, 'logic', PORT + 2);
  await addRung(page, 'Running -> LampTrack');
  await page.waitForTimeout(1000);
  await server.kill('SIGKILL');
  await addRung(page, 'Fault -> LampReady');
  await expect(page.getByText('Your changes are kept here and sent again.')).toBeVisible();
  server = await startProcess('server', env);
  await expect(page.getByText('Not saved yet.')).toBeHidden();
  await expect
    .poll(async () =>
      JSON.stringify(await (await page.request.get(`http://127.0.0.1:${PORT + 2}/api/projects/${id}`)).json()),
    )
    .toContain('Fault -> LampReady');
  await page.reload();
  await expect(element(page, 2, 'LampTrack, coil')).toBeVisible();
  await expect(element(page, 3, 'LampReady, coil')).toBeVisible();
  await server.kill('SIGTERM');
  rmSync(data, { recursive: true, force: true });
});

test('a change that the server refuses is told in its words and set aside; all else is saved, and it is taken back', async ({
  page,
}) => {
  const id = await openDemo(page);
  const saved = async () =>
    JSON.stringify(await (await page.request.get(`http://127.0.0.1:${PORT}/api/projects/${id}`)).json());
  // A server of another version, which knows no such rung.
  await page.route('**/edits', async (route) => {
    if (!route.request().postData()?.includes('LampTrack')) return route.fallback();
    return route.fulfill({
      status: 400,
      contentType: 'application/problem+json',
      body: JSON.stringify({ code: 'INVALID_BODY', detail: 'edits.0.rung.line: no such lamps here' }),
    });
  });
  await addRung(page, 'Running -> LampTrack');
  const told = page.getByRole('alert').filter({ hasText: 'Refused by the server and not saved: a new rung.' });
  await expect(told).toContainText('edits.0.rung.line: no such lamps here');
  await addRung(page, 'Fault -> LampReady');
  await expect.poll(saved).toContain('Fault -> LampReady');
  expect(await saved()).not.toContain('LampTrack, ');
  await told.getByRole('button', { name: 'Take it back' }).click();
  await expect(told).toBeHidden();
  await expect(page.getByText('Not saved yet.')).toBeHidden();
  await expect(element(page, 3, 'LampReady, coil')).toBeVisible();
});

test('two windows never overwrite each other silently', async ({ page, context }) => {
  const { other } = await bothChanged(page, context);
  await other.getByRole('button', { name: 'Put mine on top' }).click();
  await expect(
    element(other, 3, 'LampTrack, coil')
      .or(element(other, 2, 'LampReady, coil'))
      .first(),
  ).toBeVisible();
  await expect(other.getByText(/rev 3/).first()).toBeVisible();
  await page.reload();
  await expect(
    page
      .getByRole('group', { name: 'Rung 2', exact: true })
      .or(page.getByRole('group', { name: 'Rung 3', exact: true }))
      .first(),
  ).toBeVisible();
  await expect(element(page, 3, 'LampTrack, coil')).toBeVisible();
  await expect(element(page, 2, 'LampReady, coil')).toBeVisible();
});

test('what two windows could not save is kept for each: one left by a closed window is in the next, that of one that is open is not', async ({
  page,
  context,
}) => {
  await openDemo(page);
  const address = page.url(),
    windows = [page, await context.newPage(), await context.newPage()];
  const rungs = ['Running -> LampTrack', 'Fault -> LampReady', 'Running & Fault -> LampFault'];
  // No edit reaches the server, nor what a page still sends while it closes.
  await context.addInitScript(() => {
    const real = fetch;
    globalThis.fetch = (to, how) =>
      localStorage.getItem('cut') && !sessionStorage.getItem('open') && String(to).endsWith('/edits')
        ? Promise.reject(new TypeError('cut'))
        : real(to, how);
  });
  await page.reload();
  await page.evaluate(() => localStorage.setItem('cut', 'yes'));
  for (const [i, w] of windows.entries()) {
    if (i) await w.goto(address);
    await expect(element(w, 1, 'StopOK')).toBeVisible();
    await w.bringToFront();
    await addRung(w, rungs[i]!);
    await expect(w.getByRole('alert')).toContainText('Not saved yet.');
  }
  const coil = (w: Page, name: string) => w.getByRole('button', { name: new RegExp(`^${name}, coil`) });
  const [first, second, third] = windows as [Page, Page, Page];
  // Loaded anew, a window has its own.
  await third.reload();
  await expect(coil(third, 'LampFault')).toBeVisible();
  await expect(coil(third, 'LampReady')).toHaveCount(0);
  await first.close();
  await second.close();
  const next = await context.newPage();
  await next.goto(address);
  await expect(coil(next, 'LampTrack')).toBeVisible();
  await expect(coil(next, 'LampReady')).toBeVisible();
  await expect(coil(next, 'LampFault')).toHaveCount(0);
  await next.bringToFront();
  await next.evaluate(() => sessionStorage.setItem('open', 'yes'));
  await expect(next.getByText('Not saved yet.')).toBeHidden();
  await next.evaluate(() => localStorage.removeItem('cut'));
  // The one that was open all the while has its own still, and is asked.
  await third.bringToFront();
  await expect(third.getByRole('alert')).toContainText('changed in another window');
  await third.getByRole('button', { name: 'Put mine on top' }).click();
  for (const name of ['LampTrack', 'LampReady', 'LampFault']) await expect(coil(third, name)).toBeVisible();
  await third.reload();
  for (const name of ['LampTrack', 'LampReady', 'LampFault']) await expect(coil(third, name)).toBeVisible();
});

test('mine on top, while the server takes its time: what is typed meanwhile stays, and everything of mine can be taken back', async ({
  page,
  context,
}) => {
  const { id, other } = await bothChanged(page, context);
  await other.route(`**/api/projects/${id}`, async (route) => {
    await new Promise((r) => setTimeout(r, 2500));
    await route.continue();
  });
  await other.getByRole('button', { name: 'Put mine on top' }).click();
  await addRung(other, 'Running -> LampFault');
  await expect(other.getByRole('button', { name: /^LampTrack, coil/ })).toBeVisible();
  await expect(other.getByRole('button', { name: /^LampReady, coil/ })).toBeVisible();
  await expect(other.getByRole('button', { name: /^LampFault, coil/ })).toBeVisible();
  await expect(other.getByRole('alert')).toBeHidden();
  await other.keyboard.press('Escape');
  await other.keyboard.press('Control+z');
  await expect(other.getByRole('button', { name: /^LampFault, coil/ })).toHaveCount(0);
  await other.keyboard.press('Control+z');
  await expect(other.getByRole('button', { name: /^LampReady, coil/ })).toHaveCount(0);
  await expect(other.getByRole('button', { name: /^LampTrack, coil/ })).toBeVisible();
});

test('projects: a broken file is refused with its place; new, delete and bring back', async ({ page }) => {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  const upload = (name: string, text: string) =>
    page.getByLabel('Project file').setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) });
  await upload('cut.ferrule.json', demoText.slice(0, 3000));
  await expect(page.getByRole('alert')).toContainText('This is not JSON');
  await upload('new.ferrule.json', demoText.replace('"version": 1', '"version": 7'));
  await expect(page.getByRole('alert')).toContainText('the project is of version 7');
  await upload('twice.ferrule.json', demoText.replace('"id": "t2"', '"id": "t1"'));
  await expect(page.getByRole('alert')).toContainText("tags.1.id: 't1' is used twice");
  const name = `Lift ${Date.now()}`;
  await page.getByRole('button', { name: 'New project' }).click();
  await page.getByLabel('Name of the new project').fill(name);
  await page.keyboard.press('Enter');
  await expect(page.getByText('No rungs yet.')).toBeVisible();
  await page.getByRole('button', { name: 'Write the first one' }).click();
  await page.keyboard.type('-> Q');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await page.getByRole('link', { name: 'Ferrule' }).click();
  // The list says what each is, what its checks say and what was done last; the examples stand beside it as what they
  // are.
  const row = page.getByRole('listitem', { name, exact: true });
  await expect(row).toContainText('1 rung · 0 checks, 0 rules · checks not run yet');
  await expect(row).toContainText('no machine model yet');
  await expect(row).toContainText(/last: .*rung/);
  await expect(page.getByRole('list', { name: 'Examples' }).getByRole('listitem')).toHaveCount(5);
  await expect(page.getByRole('button', { name: 'From the example Canal lock' })).toContainText('47 rungs');
  await page.getByRole('button', { name: `Delete ${name}` }).click();
  await page.getByRole('button', { name: `Yes, delete ${name}` }).click();
  await expect(page.getByRole('link', { name })).toHaveCount(0);
  await page.getByRole('button', { name: 'Bring it back' }).click();
  await expect(page.getByRole('link', { name, exact: true })).toBeVisible();
});
