/**
 * Every upset that a device is said to have makes a difference: worked by its own example of the help, with it and
 * without.
 */
import { describe, expect, it } from 'vitest';
import { DEVICE_KINDS, type DeviceKind } from '@ferrule/core/machine';
import { findPath } from '@ferrule/core/bench';
import { exampleEngine, write } from './LiveExample.js';
import { DEVICE_EXAMPLES } from './device-examples.js';
import type { Example } from './examples.js';

/** Everything the device gives and shows, scan by scan, as one text. */
function course(kind: DeviceKind, e: Example, upset: string | undefined): string {
  const { engine } = exampleEngine(e);
  const locals = kind.locals
    .replace(/\(\*[\s\S]*?\*\)/g, '')
    .split(';')
    .flatMap((d) => (d.split(':')[0] ?? '').split(',').map((n) => n.trim()))
    .filter(Boolean);
  const seen = [...kind.terminals.filter((t) => t.direction === 'out').map((t) => t.name), ...locals, 'Place']
    .map((n) => `Machine.D.${n}`)
    .filter((p) => {
      const f = findPath(engine.image, p);
      return 'location' in f && f.location.type.kind === 'elementary';
    });
  if (upset) write(engine, `Machine.D.${upset}`, '1');
  const due = [...e.play].sort((a, b) => a[0] - b[0]),
    lines: string[] = [];
  for (let ms = 0; ms < e.ms; ms += 10) {
    while (due.length && due[0]![0] <= ms) {
      const [, path, value] = due.shift()!;
      if (path !== `Machine.D.${upset}`) write(engine, path, value);
    }
    engine.runScan();
    if (ms % 50 === 0) lines.push(seen.map((p) => String(engine.read(p))).join(' '));
  }
  return lines.join('\n');
}

describe('upsets', () => {
  const all = DEVICE_KINDS.flatMap((k) => k.upsets.map((u) => [`${k.type}.${u.name}`, k, u.name] as const));
  it('there are some for nearly every device', () => {
    expect(DEVICE_KINDS.filter((k) => !k.upsets.length).map((k) => k.type)).toEqual(['Selector', 'SetPoint']);
  });
  it.each(all)('%s makes a difference', (_, kind, upset) => {
    const e = DEVICE_EXAMPLES[kind.type]!;
    expect(course(kind, e, upset)).not.toBe(course(kind, e, undefined));
  });
});
