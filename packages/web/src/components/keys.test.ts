import { describe, expect, it } from 'vitest';
import { COMMANDS, commandOf } from '../areas/logic/commands.js';
import { keyTable } from './keys.js';

/** A key as the browser tells it. */
const press = (key: string, ...down: string[]) => ({
  key,
  code: '',
  getModifierState: (modifier: string) => down.includes(modifier),
});

describe('a table of keys', () => {
  const meaning = keyTable([
    ['Mod+k', 'palette'],
    ['F6', 'step'],
    ['Shift+F6', 'back'],
    ['Mod+Alt+F6', 'into'],
    ['{', 'brace'],
    ['Mod+>', 'more'],
    ['?', 'help'],
    ['Alt+Digit1', 'plan'],
  ]);

  it('takes Ctrl and the command key alike, in small and capital letters', () => {
    expect(meaning(press('k', 'Control'))).toBe('palette');
    expect(meaning(press('K', 'Meta'))).toBe('palette');
    expect(meaning(press('k'))).toBeUndefined();
  });

  it('tells modifiers apart', () => {
    expect(meaning(press('F6'))).toBe('step');
    expect(meaning(press('F6', 'Shift'))).toBe('back');
    expect(meaning(press('F6', 'Control', 'Alt'))).toBe('into');
    expect(meaning(press('F6', 'Control'))).toBeUndefined();
  });

  it('knows a sign however a keyboard makes it: alone, with Shift, with AltGr', () => {
    for (const down of [[], ['Shift'], ['AltGraph'], ['Control', 'Alt', 'AltGraph']])
      expect(meaning(press('{', ...down)), down.join()).toBe('brace');
    expect(meaning(press('{', 'Control'))).toBeUndefined();
    // Alt alone is for something else: it changes no rung and releases no force.
    expect(meaning(press('{', 'Alt'))).toBeUndefined();
    expect(meaning(press('>', 'Control', 'Shift'))).toBe('more');
    expect(meaning(press('>', 'Control'))).toBe('more');
    expect(meaning(press('?', 'Shift'))).toBe('help');
  });

  it('knows a key by its place, whatever is printed on it', () => {
    expect(meaning({ ...press('&', 'Alt'), code: 'Digit1' })).toBe('plan');
  });
});

describe('the keys of the ladder sheet', () => {
  it.each(COMMANDS.map((c) => [c.key, c.command] as const))('%s is %s', (key, command) => {
    const [, modifiers, name] = /^((?:[A-Za-z]+\+)*)(.+)$/.exec(key)!;
    const down = modifiers!.split('+').map((m) => (m === 'Mod' ? 'Control' : m));
    expect(commandOf(press(name!, ...down))).toBe(command);
  });
});
