// `node scripts/screenshots.mjs`: one picture a main view, from the demo, into docs/screenshots. Look at each before committing it.
import { fork } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { ensureBuilt } from './build.mjs';
import { root } from './setup.mjs';

await ensureBuilt(['server', 'controller', 'protocols', 'web']);
const data = mkdtempSync(join(tmpdir(), 'ferrule-shots-'));
const port = 4980;
const start = (name, env) =>
  new Promise((resolve) => {
    const c = fork(join(root, `packages/${name}/dist/main.mjs`), { env: { ...process.env, ...env }, stdio: 'inherit' });
    c.once('message', () => resolve(c));
  });
const controller = await start('controller', {
  FERRULE_CONTROLLER_PORT: String(port + 1),
  FERRULE_CONTROLLER_DATA: join(data, 'c'),
});
const server = await start('server', {
  FERRULE_PORT: String(port),
  FERRULE_DATA: data,
  FERRULE_CONTROLLER: `http://127.0.0.1:${port + 1}`,
  FERRULE_CONTROLLER_DATA: join(data, 'c'),
});
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});

async function view(name, area, act, options = {}) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...options });
  page.setDefaultTimeout(8000);
  await page.goto(`http://127.0.0.1:${port}/${area ? `projects/wire-end-crimp-cell/${area}` : ''}`);
  await page.waitForTimeout(900);
  await act(page);
  await page.screenshot({ path: join(root, 'docs/screenshots', `${name}.png`) });
  await page.close();
}
const press = async (page, name, ms = 150) => {
  await page.getByRole('region', { name: 'Panel' }).getByRole('button', { name, exact: true }).hover();
  await page.mouse.down();
  await page.waitForTimeout(ms);
  await page.mouse.up();
};

try {
  await view('projects', '', async () => undefined);
  await view('tags', 'tags?tag=t6', async (page) => {
    await page.getByRole('button', { name: 'Force on' }).click();
    await page.waitForTimeout(400);
  });
  await view('logic', 'logic', async (page) => {
    await press(page, 'Start');
    await page.waitForTimeout(4300);
    await page.keyboard.press('F5');
    await page.waitForTimeout(300);
  });
  await view('why', 'logic', async (page) => {
    await press(page, 'Start');
    await page.waitForTimeout(2600);
    await page.keyboard.press('F5');
    await page
      .getByRole('group', { name: 'Rung 1', exact: true })
      .getByRole('button', { name: /^Running, coil/ })
      .click();
    await page.keyboard.press('F4');
    await page.waitForTimeout(700);
  });
  await view('inputs', 'machine', async (page) => {
    await press(page, 'Start');
    await page.waitForTimeout(2500);
    await page.keyboard.press('F5');
    const line = page.getByRole('slider', { name: 'Time line' });
    await line.press('Home');
    for (let i = 0; i < 5; i++) await line.press('PageDown');
    await page.keyboard.press('F5');
    await press(page, 'Stop');
    await page.waitForTimeout(1500);
    await page.keyboard.press('F5');
    await page.getByRole('button', { name: 'Lines of history' }).click();
    await page.getByRole('menuitem', { name: /Lay line A/ }).click();
    await page.getByRole('tab', { name: 'Inputs' }).click();
    await page.waitForTimeout(600);
  });
  await view('plan', 'plan', async (page) => {
    await page.getByRole('link', { name: 'Logic' }).click();
    await press(page, 'Start');
    await page.getByRole('link', { name: 'Plan' }).click();
    await page.waitForTimeout(1300);
    await page.keyboard.press('F5');
    await page.waitForTimeout(400);
  });
  await view('search', 'prove?view=mutate', async (page) => {
    await page.getByRole('button', { name: 'Change the logic' }).click();
    await page.waitForTimeout(6000);
  });
  await view('proof', 'prove?view=proof', async (page) => {
    await page.goto(`http://127.0.0.1:${port}/projects/canal-lock/prove?view=proof`);
    await page.getByRole('button', { name: 'Run all' }).click();
    await page.getByRole('button', { name: 'Prove', exact: true }).click();
    await page.getByText(/^\d of \d$/).waitFor({ timeout: 60_000 });
    await page.waitForTimeout(400);
  });
  await view('checkout', 'machine?view=checkout', async (page) => {
    await page.getByLabel('Tried by').fill('Ada');
    for (const t of ['StartPB', 'StopOK', 'ResetPB'])
      await page.getByRole('checkbox', { name: `${t} is right`, exact: true }).check();
    await page.getByRole('combobox', { name: 'What was found at ClampOpen' }).selectOption('swapped');
    await page.waitForTimeout(500);
  });
  await view('text', 'logic?pou=p3', async (page) => {
    await page.waitForTimeout(800);
  });
  await view('timing', 'machine', async (page) => {
    await press(page, 'Start');
    const until = async (text) => {
      await page.keyboard.press('Control+F5');
      await page.getByRole('textbox', { name: 'Run until' }).fill(text);
      await page.keyboard.press('Enter');
      await page.waitForTimeout(1500);
    };
    await until('GoodTotal >= 12');
    await page.getByLabel('Length mm').fill('140');
    await page.keyboard.press('Enter');
    await until('GoodTotal >= 15');
    await page.getByLabel('Length mm').fill('84');
    await page.keyboard.press('Enter');
    await until('GoodTotal >= 30');
    await page.keyboard.press('Alt+7');
    await page.getByRole('button', { name: /longest, cycle/ }).click();
    await page.waitForTimeout(900);
  });
  await view('help', 'logic', async (page) => {
    await page.keyboard.press('?');
    await page.getByRole('tab', { name: 'Blocks' }).click();
    await page.getByRole('button', { name: 'TON', exact: true }).click();
    await page.waitForTimeout(600);
    const hold = page.getByRole('button', { name: 'Hold In' });
    await hold.hover();
    await page.mouse.down();
    await page.waitForTimeout(1700);
  });
  await view('revisions', 'logic', async (page) => {
    await page
      .getByRole('group', { name: 'Rung 2', exact: true })
      .getByRole('button', { name: /^ResetPB/ })
      .click();
    await page.keyboard.type('!Running');
    await page.keyboard.press('Enter');
    await page.waitForTimeout(700);
    await page.getByRole('link', { name: /^rev / }).click();
    await page.waitForTimeout(1200);
  });
  await view('print', 'print', async (page) => {
    await page.waitForTimeout(500);
  });
  await view('machine', 'machine', async (page) => {
    await page.goto(`http://127.0.0.1:${port}/projects/tile-grading-line/machine`);
    await page.waitForTimeout(1200);
    await press(page, 'Start');
    await page.keyboard.press('Control+F5');
    await page
      .getByRole('textbox', { name: 'Run until' })
      .fill('CartsA = 1 AND StackA.Laid >= 2 AND SorterLoaded AND Grade = 2');
    await page.keyboard.press('Enter');
    await page.waitForTimeout(4000);
    await page.keyboard.press('F5');
    await page.waitForTimeout(400);
  });
  await view('kiln', 'logic', async (page) => {
    await page.goto(`http://127.0.0.1:${port}/projects/ceramic-kiln/logic?pou=plan-pou-q`);
    await page.waitForTimeout(1200);
    await page.getByRole('switch', { name: 'Hand · Auto' }).click();
    const hold = async (name, ms) => {
      const b = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name, exact: true });
      await b.hover();
      await page.mouse.down();
      await page.waitForTimeout(ms);
      await page.mouse.up();
    };
    await hold('Reset', 900);
    await hold('Carts: load', 200);
    await hold('Start', 200);
    await page.waitForTimeout(6500);
    await page.keyboard.press('F5');
    await page.waitForTimeout(400);
  });
  await view('controller', 'controller', async (page) => {
    await page.getByRole('button', { name: 'Download and restart' }).click();
    await page.getByText('Downloaded and verified').waitFor({ timeout: 30_000 });
    await page
      .getByRole('complementary', { name: 'Controller' })
      .getByRole('button', { name: 'Run', exact: true })
      .click();
    await page.waitForTimeout(900);
    await press(page, 'Start', 300);
    await page.waitForTimeout(1500);
  });
  await view(
    'logic-dark',
    'logic',
    async (page) => {
      await press(page, 'Start');
      await page.waitForTimeout(2000);
    },
    { colorScheme: 'dark', viewport: { width: 1920, height: 1080 } },
  );
  // Last, since it breaks a rung.
  await view('prove', 'prove?check=c2', async (page) => {
    await page.goto(`http://127.0.0.1:${port}/projects/wire-end-crimp-cell/logic?pou=p2&rung=r28`);
    await page.waitForTimeout(700);
    await page.getByRole('application').focus();
    await page.keyboard.press(';');
    await page
      .getByRole('combobox', { name: 'Rung as a line' })
      .fill(
        'Running & (Step = Clamping | Step = Cutting | Step = Placing | Step = Crimping | Step = Pulling) -> ClampClose',
      );
    await page.keyboard.press('Enter');
    await page.goto(`http://127.0.0.1:${port}/projects/wire-end-crimp-cell/prove?check=c2`);
    await page.waitForTimeout(700);
    await page.getByRole('button', { name: /Run all/ }).click();
    await page.getByRole('button', { name: /Show on bench/ }).click();
    await page.waitForTimeout(500);
  });
} finally {
  await browser.close();
  await Promise.all(
    [server, controller].map((child) => {
      const ended = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      return ended; // both still write while they end: the folder can go only after them
    }),
  );
  rmSync(data, { recursive: true, force: true });
}
