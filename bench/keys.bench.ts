/**
 * Key presses and clicks for nine tasks of every day, each done on the running application and looked at afterwards:
 * a task that does not end where it should counts as not done. What an earlier Ferrule needed stands behind it where
 * that is known.
 */
import type { Locator, Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { withPage } from './browser.js';

const PORT = 4990;

/** Counts every key press and click that goes through it. */
class Hands {
  presses = 0;
  constructor(readonly page: Page) {}
  async key(...keys: readonly string[]): Promise<void> {
    for (const k of keys) {
      this.presses++;
      await this.page.keyboard.press(k);
    }
  }
  /** Each letter is a key press. */
  async type(text: string): Promise<void> {
    this.presses += text.length;
    await this.page.keyboard.type(text);
  }
  async click(what: Locator): Promise<void> {
    this.presses++;
    await what.click();
  }
}

interface Task {
  readonly name: string;
  readonly before?: number;
  /** What is there before anything is counted. */ readonly start: (page: Page) => Promise<void>;
  readonly work: (h: Hands) => Promise<void>;
  /** What must be in sight in the end. */ readonly end: (page: Page) => Locator;
}

const rung = (page: Page, n: number) => page.getByRole('group', { name: `Rung ${n}`, exact: true });
const element = (page: Page, n: number, name: string) =>
  rung(page, n)
    .getByRole('button', { name: new RegExp(`^${name}`) })
    .first();
const stand = (n: number, name: string) => (page: Page) => element(page, n, name).click();
/** A new rung behind the second, its line typed and not yet ended. */
const typed = (line: string) => async (page: Page) => {
  await stand(2, 'ResetPB')(page);
  await page.keyboard.press('Insert');
  await page.keyboard.type(line);
};

const TASKS: readonly Task[] = [
  {
    name: 'the unknown name of a rung declared, and the rung ended',
    before: 1,
    start: typed('StopOK -> LampSpare'),
    work: (h) => h.key('Control+Enter'),
    end: (p) => element(p, 3, 'LampSpare'),
  },
  {
    name: 'a contact put between two others (a name of three letters)',
    before: 5,
    start: stand(1, 'StopOK'),
    work: async (h) => {
      await h.type('Hot');
      await h.key('Control+Enter');
    },
    end: (p) => element(p, 1, 'Hot'),
  },
  {
    name: 'a rung copied and pasted twice',
    before: 4,
    start: async () => {},
    work: async (h) => {
      await h.click(h.page.getByRole('button', { name: 'Rung 2', exact: true }));
      await h.key('Control+c', 'Control+v', 'Control+v');
    },
    end: (p) => element(p, 4, 'ResetPB'),
  },
  {
    name: 'a rung of three names that nothing declares, all of them declared',
    start: typed('NewPB & !FarOK -> LampNew'),
    work: (h) => h.key('Control+Enter'),
    end: (p) => element(p, 3, 'LampNew'),
  },
  {
    name: 'a contact made normally closed',
    start: stand(1, 'StopOK'),
    work: (h) => h.key('/'),
    end: (p) => rung(p, 1).getByRole('button', { name: /^StopOK.*normally closed/ }),
  },
  {
    name: 'rung 12 gone to',
    start: stand(1, 'StopOK'),
    work: async (h) => {
      await h.key('Control+g');
      await h.page.getByRole('combobox', { name: 'Command or anything in the project' }).waitFor();
      await h.type('12');
      await h.page.getByRole('option', { name: /^Go to rung 12 of Cell/ }).waitFor();
      await h.key('Enter');
    },
    end: (p) => p.getByRole('button', { name: 'Rung 12', exact: true }),
  },
  {
    name: 'the rungs alone on the page',
    start: stand(1, 'StopOK'),
    work: (h) => h.key('Control+F2'),
    end: (p) => p.locator('[data-fold-scope][aria-expanded="false"]'),
  },
  {
    name: 'why a coil is off',
    start: stand(1, 'Running, coil'),
    work: (h) => h.key('F4'),
    end: (p) => p.getByRole('list', { name: 'What it needs' }),
  },
  {
    name: 'what went wrong in a run made a check that fails',
    start: async (page) => {
      const open = page.locator('[data-fold-scope][aria-expanded="false"]');
      if (await open.count()) await open.click();
      await stand(1, 'StartPB')(page);
      await page.waitForTimeout(500);
    },
    work: async (h) => {
      await h.click(h.page.getByRole('button', { name: 'Run', exact: true }).last());
      await h.click(h.page.getByRole('menuitem', { name: /what went wrong/ }));
      await h.click(
        h.page
          .getByRole('menuitem')
          .filter({ hasText: /^\w+ is (on|off)$/ })
          .first(),
      );
    },
    end: (p) => p.getByLabel('Name of the check'),
  },
];

export default async function run(root: string): Promise<void> {
  const text = readFileSync(join(root, 'examples/wire-end-crimp-cell.ferrule.json'), 'utf8');
  await withPage(root, PORT, async (page, url) => {
    for (const t of TASKS) {
      const { id } = (await (await page.request.post(`${url}/api/projects`, { data: { file: text } })).json()) as {
        id: string;
      };
      await page.goto(`${url}/projects/${id}/logic`);
      await element(page, 1, 'StopOK').waitFor();
      await page.waitForTimeout(2000);
      const hands = new Hands(page);
      let done = true;
      try {
        await t.start(page);
        await t.work(hands);
        await t.end(page).waitFor({ timeout: 5000 });
      } catch (e) {
        done = false;
        console.log(`  ${String(e).split('\n')[0]}`);
      }
      console.log(
        `${t.name}: ${done ? `${hands.presses} ${hands.presses === 1 ? 'press' : 'presses'}` : 'not done'}${t.before === undefined ? '' : ` (before ${t.before})`}`,
      );
    }
  });
}
