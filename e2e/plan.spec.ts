/**
 * The sequence before the logic: steps from a table, problems in place, logic and checks made from them, the flow live
 * with the bench.
 */
import { type Page, expect, test } from '@playwright/test';
import { demoText, PORT, openDemo, press, toArea } from './ferrule.js';

const TABLE =
  'Step\tOn\tWhen\tFor\tTo\tLimit\tPast\nIdle\t\tStartPB\t\tFill\t\t\nFill\tFillValve\tLevelHigh\t\tMix\t4 s\tFault 7\nMix\tMixMotor\t\t500 ms\tEmpty\t\t\nEmpty\tDrainValve\tNOT LevelHigh\t\tIdle\t\t\n';

async function newPlan(page: Page): Promise<void> {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'New project' }).click();
  await page.getByLabel('Name of the new project').fill(`Mixer ${Date.now()}`);
  await page.getByRole('button', { name: 'Begin with a plan' }).click();
  await page.getByRole('button', { name: 'Take steps from a table' }).click();
  await page.getByLabel('Table of steps').fill(TABLE);
  await page.getByRole('button', { name: 'Take 4 steps' }).click();
}
const row = (page: Page, name: string) => page.getByRole('row', { name, exact: true });

test('from a table to running logic, with the flow lit by the bench; then a change, made again', async ({ page }) => {
  await newPlan(page);
  await expect(page.getByRole('img', { name: /^Flow of/ })).toContainText('Mix');
  await page.getByRole('combobox', { name: 'It runs while' }).fill('NOT Fault');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As ladder' }).click();
  const list = page.getByRole('list', { name: 'Changes' });
  await expect(list).toContainText('StepWas = Fill & Step = Fill & LevelHigh -> { Step := Mix; }');
  await page.getByRole('button', { name: /^Make \d+$/ }).click();
  await expect(page.getByRole('button', { name: /^0 problems|problem/ }).first()).toBeVisible();
  await expect(page.getByRole('img', { name: /in Idle$/ })).toBeVisible();
  // The drafted inputs are the tags, and they work at the bench.
  await expect(page.getByRole('region', { name: 'Inputs and outputs' })).toContainText('LevelHigh');
  const bench = page.getByRole('region', { name: 'Bench' });
  await bench.getByRole('tab', { name: 'Inputs' }).click();
  await bench.getByRole('button', { name: 'Toggle StartPB' }).click();
  await expect(page.getByRole('img', { name: /in Fill$/ })).toBeVisible();
  await expect(row(page, 'Fill')).toContainText(/not yet, waiting \d/);
  await bench.getByRole('button', { name: 'Toggle StartPB' }).click();
  await bench.getByRole('button', { name: 'Toggle LevelHigh' }).click();
  await expect(page.getByRole('img', { name: /in Empty$/ })).toBeVisible();

  await page.getByRole('textbox', { name: 'Limit of Fill', exact: true }).fill('6 s');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As ladder' }).click();
  await expect(list.getByRole('listitem')).toHaveCount(1);
  await expect(list).toContainText('FillLimit(PT := 6 s)');
  await page.getByRole('button', { name: 'Make 1', exact: true }).click();
  // In the other language it can be looked at any time; nothing is put in place of the ladder unless it is ticked.
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As structured text' }).click();
  await expect(list).toContainText('in place of its ladder');
  await expect(list).toContainText('CASE Step OF');
  await expect(list.getByRole('checkbox').first()).not.toBeChecked();
  await page.getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('button', { name: 'Make checks' }).click();
  // Each was tried before it was offered, so all of them pass.
  await expect(list).toContainText('once Step is Fill within');
  await page.getByRole('button', { name: /^Make \d+$/ }).click();
  await toArea(page, 'Prove');
  const checks = page.getByRole('complementary', { name: 'Checks and rules' });
  await expect(checks).toContainText('main path');
  await page.getByRole('button', { name: 'Run all' }).click();
  await expect(checks).toContainText(/(\d+) of \1 pass/);
});

test('what is wrong with a plan is said at the step, and the rest works on', async ({ page }) => {
  await newPlan(page);
  await page.getByRole('textbox', { name: 'Name of step 3' }).fill('Fill');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('note').filter({ hasText: 'Two steps are named ‘Fill’' }).first()).toBeVisible();
  await page.getByRole('textbox', { name: 'Name of step 3' }).fill('Mix');
  await page.keyboard.press('Enter');
  await page.getByRole('textbox', { name: 'Limit of Mix', exact: true }).fill('soon');
  await page.keyboard.press('Enter');
  await expect(page.getByText('‘soon’ is not a length of time')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('‘soon’ is not a length of time')).toBeHidden();
  // A time that is typed with its condition goes to its own field.
  await page.getByLabel('Condition 1 of Mix', { exact: true }).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('after 20 s');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Condition 1 of Mix must hold for')).toHaveValue('20 s');
  await expect(page.getByLabel('Condition 1 of Mix', { exact: true })).toHaveValue('');
  await page.getByRole('button', { name: 'Delete the step Empty' }).click();
  await expect(page.getByText('‘Mix’ leads to a step that is not there.')).toBeVisible();
});

test('the plan of the demo lights up with its own logic', async ({ page }) => {
  await openDemo(page, 'plan');
  await toArea(page, 'Logic');
  await press(page, 'Start');
  await toArea(page, 'Plan');
  // A step lasts half a second: every name that the chart takes is noted, so that none is missed on a busy machine.
  await page.evaluate(() => {
    const seen = new Set<string>();
    (window as unknown as { seen: Set<string> }).seen = seen;
    new MutationObserver(() => {
      for (const x of document.querySelectorAll('[role=img][aria-label^="Flow of"]'))
        seen.add(x.getAttribute('aria-label')!.replace(/.*, in /, ''));
    }).observe(document.body, { subtree: true, childList: true, attributes: true, attributeFilter: ['aria-label'] });
  });
  await expect
    .poll(() => page.evaluate(() => [...(window as unknown as { seen: Set<string> }).seen]), { timeout: 30_000 })
    .toEqual(expect.arrayContaining(['Feed', 'Crimping', 'Pulling']));
});

test('a second sequence beside a step, steps from a file, logic as structured text; the table goes out again', async ({
  page,
  context,
}) => {
  await newPlan(page);
  await page.getByRole('button', { name: 'Steps from a table' }).click();
  await page.getByLabel('File with steps').setInputFiles({
    name: 'wash.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('Step,On,When,For,To\nOff,,,200 ms,Spray\nSpray,WashValve,,300 ms,Off\n'),
  });
  await page.getByRole('button', { name: 'Take 2 steps' }).click();
  await expect(page.getByRole('tab', { name: 'Sequence 2' })).toHaveAttribute('aria-selected', 'true');
  await page.getByRole('tab', { name: 'Sequence', exact: true }).click();
  await page.getByRole('combobox', { name: 'It runs while' }).fill('NOT Fault');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Beside Mix runs' }).click();
  await page.getByRole('menuitemcheckbox', { name: 'Sequence 2' }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: 'Beside Mix runs' })).toHaveText('beside it: Sequence 2');
  // The chart says so at the step.
  await expect(page.getByRole('img', { name: /^Flow of/ })).toContainText('beside: Sequence 2');
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As structured text' }).click();
  await expect(page.getByRole('list', { name: 'Changes' })).toContainText('IF NOT (Step = Mix) THEN');
  await page.getByRole('button', { name: /^Make \d+$/ }).click();
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await page.getByRole('button', { name: 'Copy as table' }).click();
  await expect(page.getByText('Copied', { exact: true })).toBeVisible();
  expect(await page.evaluate(() => navigator.clipboard.readText())).toContain('Fill\tFillValve\tLevelHigh');
});

test('the plan goes on paper with the project', async ({ page }) => {
  const id = await openDemo(page, 'plan');
  await page.goto(`http://127.0.0.1:${PORT}/projects/${id}/print`);
  const plan = page.getByRole('region', { name: 'Plan' });
  await expect(plan.getByRole('row', { name: /^Clamping ClampClose ClampShut/ })).toBeVisible();
  await expect(plan).toContainText(/fault \d+/);
  // A timer without its preset would not be the logic.
  await expect(page.getByText('PT := 300 ms')).toBeVisible();
  await expect(plan.getByRole('img', { name: /^Flow of/ })).toContainText('Clamping');
  // Paper is light, also on a dark screen.
  await page.evaluate(() => {
    document.documentElement.dataset['theme'] = 'dark';
  });
  expect(
    await plan
      .getByRole('img', { name: /^Flow of/ })
      .locator('rect')
      .first()
      .evaluate((x) => getComputedStyle(x).fill),
  ).toBe('rgb(252, 250, 245)');
});

test('the modes of the demo are lit by what its switch says', async ({ page }) => {
  await openDemo(page, 'plan');
  const modes = page.getByRole('region', { name: 'Operating modes' });
  await expect(
    modes.getByRole('img', { name: 'Auto: on' }).or(modes.getByRole('img', { name: 'Hand: on' })),
  ).toHaveCount(1);
  const before = await modes.getByRole('img', { name: /: on$/ }).getAttribute('aria-label');
  await toArea(page, 'Machine');
  await page.getByRole('switch', { name: /Auto/ }).first().click();
  await toArea(page, 'Plan');
  await expect(modes.getByRole('img', { name: before!.startsWith('Auto') ? 'Hand: on' : 'Auto: on' })).toBeVisible();
  await expect(modes.getByRole('img', { name: before! })).toBeHidden();
});

test('a long flow goes on paper in pieces that each have room on a sheet', async ({ page }) => {
  const steps = Array.from({ length: 30 }, (_, i) => ({
    id: `s${i}`,
    name: `Step ${i}`,
    ways: [{ id: `w${i}`, ...(i === 2 ? { for: '9 s' } : { when: 'Go' }), to: `s${(i + 1) % 30}` }],
  }));
  const id = await openDemo(
    page,
    'plan',
    undefined,
    JSON.stringify({
      ...(JSON.parse(demoText) as object),
      plan: { sequences: [{ id: 'q', name: 'Long way', steps }] },
    }),
  );
  await page.goto(`http://127.0.0.1:${PORT}/projects/${id}/print`);
  await expect(page.getByRole('row', { name: /^Step 2 after 9 s Step 3$/ })).toBeVisible();
  const pieces = page.getByRole('img', { name: /^Flow of Long way, part \d$/ });
  await expect(pieces).toHaveCount(3);
  for (const h of await pieces.evaluateAll((all) => all.map((x) => x.getBoundingClientRect().height)))
    expect(h).toBeLessThan(1000);
});

test('operating modes: named, chosen for sequence and step, made into logic, lit by the bench; renamed everywhere', async ({
  page,
}) => {
  const steps = [
    { id: 'a', name: 'Rest', ways: [{ id: 'w1', when: 'Go', to: 'b' }] },
    { id: 'b', name: 'Work', on: ['Motor'], ways: [{ id: 'w2', when: 'Done', to: 'a' }] },
  ];
  const text = JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Modes',
    plan: { sequences: [{ id: 'q', name: 'Press', steps }] },
    tags: [],
    types: [],
    pous: [],
    tasks: [{ id: 'k', name: 'Main', interval: '10 ms', priority: 1, programs: [] }],
    machine: { devices: [] },
    checks: [],
    rules: [],
    scope: [],
  });
  await openDemo(page, 'plan', undefined, text);
  const modes = page.getByRole('region', { name: 'Operating modes' }),
    add = modes.getByRole('textbox', { name: 'New mode' });
  await add.click();
  for (const name of ['Auto', 'Setup']) {
    await page.keyboard.type(name);
    await page.keyboard.press('Enter');
    await expect(modes.getByRole('textbox', { name: `Name of the mode ${name}` })).toBeVisible();
    await expect(add).toHaveValue('');
  }
  await expect(modes.getByText('Nothing says when the machine is in the mode ‘Auto’')).toBeVisible();
  for (const [name, when] of [
    ['Auto', 'AutoSw'],
    ['Setup', 'NOT AutoSw'],
  ] as const) {
    const field = modes.getByLabel(`When the machine is in ${name}`);
    await field.fill(when);
    await field.press('Enter');
  }
  await expect(modes.getByText(/Nothing says/)).toHaveCount(0);
  await page.getByRole('button', { name: 'Modes of Work' }).click();
  await page.getByRole('menuitemcheckbox', { name: 'Auto' }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: 'Modes of Work' })).toHaveText('Auto');
  await page.getByRole('button', { name: 'Modes of Press' }).click();
  await page.getByRole('menuitemcheckbox', { name: 'Setup' }).click();
  await page.keyboard.press('Escape');
  await expect(
    page.getByText('‘Work’ belongs to the mode ‘Auto’, its sequence does not: it would never go on.'),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Modes of Press' }).click();
  await page.getByRole('menuitemcheckbox', { name: 'Auto' }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByText(/it would never go on/)).toBeHidden();
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As ladder' }).click();
  await expect(page.getByRole('list', { name: 'Changes' })).toContainText('AutoSw -> ModeAuto');
  await page.getByRole('button', { name: /^Make \d+$/ }).click();
  await expect(modes.getByRole('img', { name: 'Setup: on' })).toBeVisible();
  await expect(modes.getByRole('img', { name: 'Auto: off' })).toBeVisible();
  const name = modes.getByRole('textbox', { name: 'Name of the mode Auto' });
  await name.fill('Automatic');
  await name.press('Enter');
  await expect(page.getByRole('button', { name: 'Modes of Work' })).toHaveText('Automatic');
  await modes.getByRole('button', { name: 'Delete the mode Automatic' }).click();
  await expect(page.getByRole('button', { name: 'Modes of Work' })).toHaveText('modes');
});

test('a plan of 80 steps opens while the bench runs, and any step can be chosen as the next', async ({ page }) => {
  const steps = Array.from({ length: 80 }, (_, i) => ({
    id: `s${i}`,
    name: `Step ${i}`,
    on: ['Lamp'],
    ways: [{ id: `w${i}`, when: 'Go', to: `s${(i + 1) % 80}` }],
    limit: '5 s',
    past: { fault: i + 1 },
  }));
  const text = JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Long',
    plan: { sequences: [{ id: 'q', name: 'Long way', steps }] },
    tags: [
      { id: 't', name: 'Go', type: 'BOOL' },
      { id: 'u', name: 'Lamp', type: 'BOOL' },
    ],
    types: [],
    pous: [{ id: 'p', name: 'Main', language: 'LD', kind: 'program', rungs: [{ id: 'r', line: 'Go -> Lamp' }] }],
    tasks: [{ id: 'k', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
    machine: { devices: [] },
    checks: [],
    rules: [],
    scope: [],
  });
  await openDemo(page, 'tags', undefined, text);
  await toArea(page, 'Plan');
  await expect(page.getByRole('img', { name: /Flow of Long way/ })).toContainText('Step 79');
  const next = page.getByLabel('Way 1 of Step 3 leads to');
  await next.focus();
  await next.selectOption({ label: 'Step 70' });
  await expect(next).toHaveValue('s70');
  await page.getByLabel('Name of step 4', { exact: true }).fill('Elsewhere');
  await page.getByLabel('Name of step 4', { exact: true }).press('Enter');
  await expect(page.getByRole('img', { name: /Flow of Long way/ })).toContainText('Elsewhere');
});

test('a step is put between two others and leads on; an input that cannot be is refused with why', async ({ page }) => {
  await newPlan(page);
  const leads = (step: string) =>
    page
      .getByRole('combobox', { name: `Way 1 of ${step} leads to` })
      .evaluate((x) => (x as HTMLSelectElement).selectedOptions[0]!.text);
  await page.getByRole('textbox', { name: 'Name of step 2' }).focus();
  await page.keyboard.press('Insert');
  await expect(page.getByRole('textbox', { name: 'Name of step 3' })).toBeFocused();
  await page.keyboard.type('Settle');
  await page.keyboard.press('Enter');
  await expect.poll(() => leads('Fill')).toBe('Settle');
  expect(await leads('Settle')).toBe('Mix');
  // What is still being typed when another step is put below is kept.
  await page.getByRole('textbox', { name: 'Limit of Settle', exact: true }).fill('9 s');
  await page.keyboard.press('Insert');
  await expect(page.getByRole('textbox', { name: 'Name of step 4' })).toBeFocused();
  await expect(page.getByRole('textbox', { name: 'Limit of Settle', exact: true })).toHaveValue('9 s');
  expect(await leads('Settle')).toBe('Step 6');
  await expect(page.getByRole('img', { name: /^Flow of/ })).toContainText('Settle');
  await page.getByRole('textbox', { name: 'New input' }).fill('3rd pump');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert').filter({ hasText: '‘3rd pump’ is not a name' })).toBeVisible();
});

test('a choice of one of several by its buttons, memory of the plan, and what has no source is said', async ({
  page,
}) => {
  await newPlan(page);
  const type = async (label: string, text: string) => {
    await page.getByLabel(label, { exact: true }).click();
    await page.keyboard.press('Control+a');
    await page.keyboard.type(text);
    await page.keyboard.press('Enter');
  };
  await type('New choice', 'Product');
  const group = page.getByRole('group', { name: 'Choice Product' });
  await expect(group).toContainText('Nothing says what chooses ‘1’: give the input of its button.');
  await type('Name of the option 1 of Product', 'Small');
  await type('What chooses Small of Product', 'PbSmall');
  await page.getByRole('button', { name: 'Delete the option 2 of Product' }).click();
  await expect(group).toContainText('‘Product’ has one option: nothing can be chosen between.');
  await type('New option of Product', 'Large');
  await type('What chooses Large of Product', 'PbLarge');
  await expect(group).toContainText('Nothing takes the choice ‘Product’ back');
  await type('What takes Product back', 'WrongPB');
  await expect(group.getByRole('note')).toHaveCount(0);
  // A step waits for the choice, and for something that nothing gives: it can be made memory of the plan.
  await type('Condition 1 of Idle', 'StartPB AND (ProductSmall OR ProductLarge) AND Ready');
  const sourceless = page.getByRole('region', { name: 'Without a source' });
  await expect(sourceless).toContainText('Ready');
  await expect(sourceless).not.toContainText('StartPB');
  await expect(sourceless).not.toContainText('ProductSmall');
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As ladder' }).click();
  await expect(page.getByRole('note')).toContainText(
    'Given by nothing in the plan: Ready, LevelHigh (made an input); Running (made a tag that logic of your own must set)',
  );
  await page.getByRole('button', { name: 'Cancel' }).click();
  await page.getByRole('button', { name: 'Ready is memory of the plan' }).click();
  await expect(page.getByLabel('Memory Ready', { exact: true })).toBeVisible();
  // No step sets it: that is still said, and not offered again.
  await expect(sourceless).toContainText('memory that no step gives a value');
  await expect(page.getByRole('button', { name: 'Ready is memory of the plan' })).toHaveCount(0);
  await page.getByRole('button', { name: 'LevelHigh is an input' }).click();
  await expect(page.getByRole('region', { name: 'Inputs and outputs' })).toContainText('LevelHigh');
  await page.getByLabel('It runs while').click();
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Delete');
  await page.keyboard.press('Enter');
  await expect(sourceless).not.toContainText('Running');
  await expect(sourceless.getByRole('listitem')).toHaveCount(1);
  await page.getByRole('button', { name: 'Make logic' }).click();
  await page.getByRole('menuitem', { name: 'As ladder' }).click();
  const list = page.getByRole('list', { name: 'Changes' });
  await expect(list).toContainText('PbLarge & !ProductSmall -> set ProductLarge');
  await expect(list).toContainText('Tag Ready');
  await page.getByRole('button', { name: /^Make \d+$/ }).click();
  // At the bench the first button wins, and the lamp of what is chosen is lit.
  const bench = page.getByRole('region', { name: 'Bench' });
  await bench.getByRole('tab', { name: 'Inputs' }).click();
  await bench.getByRole('button', { name: 'Toggle PbLarge' }).click();
  await expect(page.getByRole('img', { name: 'Product Large: on' })).toBeVisible();
  await bench.getByRole('button', { name: 'Toggle PbSmall' }).click();
  await page.waitForTimeout(200);
  await expect(page.getByRole('img', { name: 'Product Small: off' })).toBeVisible();
  await bench.getByRole('button', { name: 'Toggle PbLarge' }).click();
  await bench.getByRole('button', { name: 'Toggle PbSmall' }).click();
  await bench.getByRole('button', { name: 'Toggle WrongPB' }).click();
  await expect(page.getByRole('img', { name: 'Product Large: off' })).toBeVisible();
});

test('hundreds of inputs are drawn as far as one scrolls: the last is there at the end', async ({ page }) => {
  const project = JSON.parse(demoText) as { tags: unknown[] };
  const more = Array.from({ length: 400 }, (_, i) => ({
    id: `more${i}`,
    name: `Level${i}`,
    type: 'BOOL',
    address: `%IX${100 + (i >> 3)}.${i % 8}`,
  }));
  await openDemo(page, 'plan', undefined, JSON.stringify({ ...project, tags: [...project.tags, ...more] }));
  const inputs = page.getByRole('region', { name: 'Inputs and outputs' });
  await expect(inputs.getByText(/^\d+ more …$/)).toBeAttached();
  await expect(inputs.getByText('Level399', { exact: true })).toHaveCount(0);
  await expect(async () => {
    await inputs.getByRole('listitem').last().scrollIntoViewIfNeeded();
    await inputs
      .getByText(/^\d+ more …$/)
      .scrollIntoViewIfNeeded({ timeout: 500 })
      .catch(() => undefined);
    await expect(inputs.getByText('Level399', { exact: true })).toBeVisible({ timeout: 500 });
  }).toPass({ timeout: 60_000 });
});

test('a plan is written by keys alone, from above to below; no key is lost and each step leads to the next', async ({
  page,
}) => {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'New project' }).click();
  await page.keyboard.type(`Washer ${Date.now()}`);
  await page.getByRole('button', { name: 'Begin with a plan' }).click();
  await page.getByRole('button', { name: 'Begin a sequence' }).click();
  const { keyboard } = page;
  const tabs = async (...texts: readonly string[]) => {
    for (const [i, text] of texts.entries()) {
      if (i) await keyboard.press('Tab');
      if (text) await keyboard.type(text);
    }
  };
  // What is made is named; Enter goes on to its first step.
  await keyboard.type('Wash');
  await keyboard.press('Enter');
  await expect(page.getByRole('textbox', { name: 'Name of step 1' })).toBeFocused();
  // Step, what is on, what ends it, for how long, where to, limit, past the limit.
  await tabs('Wait', '', 'StartPB & DoorShut', '');
  await expect(page.getByRole('textbox', { name: 'Condition 1 of Wait must hold for' })).toBeFocused();
  await keyboard.press('Insert');
  await expect(page.getByRole('textbox', { name: 'Name of step 2' })).toBeFocused();
  await tabs('Fill', 'Inlet', 'LevelHigh', '', '', '20 s', 'fault 3');
  await keyboard.press('Insert');
  await expect(page.getByRole('textbox', { name: 'Name of step 3' })).toBeFocused();
  await tabs('Spray', 'Pump', '', '10 s');
  await keyboard.press('Insert');
  await expect(page.getByRole('textbox', { name: 'Name of step 4' })).toBeFocused();
  await tabs('Empty', 'Drain', '!LevelLow');
  await keyboard.press('Enter');
  // Behind Enter, Tab goes on from the field, not from somewhere else on the page.
  await keyboard.press('Tab');
  await expect(page.getByRole('textbox', { name: 'Condition 1 of Empty must hold for' })).toBeFocused();
  const leads = (step: string) =>
    page
      .getByRole('combobox', { name: `Way 1 of ${step} leads to` })
      .locator('option:checked')
      .textContent();
  expect(await Promise.all(['Wait', 'Fill', 'Spray', 'Empty'].map(leads))).toEqual(['Fill', 'Spray', 'Empty', 'Wait']);
  await expect(page.getByRole('table').getByRole('note')).toHaveCount(0);
  // Said by hand, it stays where it leads when a step comes below.
  await page.getByRole('combobox', { name: 'Way 1 of Empty leads to' }).selectOption({ label: 'Fill' });
  await page.getByRole('button', { name: 'step', exact: true }).click();
  await expect(page.getByRole('textbox', { name: 'Name of step 5' })).toBeFocused();
  expect(await leads('Empty')).toBe('Fill');
  // Another way out is filled in where it came.
  await page.getByRole('combobox', { name: 'Way 1 of Empty leads to' }).selectOption('+ another way out');
  await expect(page.getByRole('combobox', { name: 'Condition 2 of Empty', exact: true })).toBeFocused();
  // What the plan speaks of is offered by a part of its name; Tab goes on all the same.
  await keyboard.type('!Level');
  const offered = page.getByRole('listbox', { name: 'Ways to go on in Condition 2 of Empty' }).getByRole('option');
  await expect(offered).toHaveText([/^LevelHigh/, /^LevelLow/]);
  await keyboard.press('ArrowDown');
  await keyboard.press('ArrowDown');
  await keyboard.press('Enter');
  await expect(page.getByRole('combobox', { name: 'Condition 2 of Empty', exact: true })).toHaveValue('!LevelLow');
  await keyboard.type(' & Door');
  await expect(offered).toHaveText([/^DoorShut/]);
  await keyboard.press('Tab');
  await expect(page.getByRole('textbox', { name: 'Condition 2 of Empty must hold for' })).toBeFocused();
  await expect(page.getByRole('combobox', { name: 'Condition 2 of Empty', exact: true })).toHaveValue(
    '!LevelLow & Door',
  );
});
