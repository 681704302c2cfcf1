/**
 * Pictures of own devices from hostile hands: whatever their fields say, what is drawn is bounded and made of numbers.
 */
import fc from 'fast-check';
import { createElement } from 'react';
import { renderToStaticMarkup } from 'react-dom/server';
import { expect, it } from 'vitest';
import { MOST_TIMES } from '@ferrule/core/machine';
import type { OwnKind } from '@ferrule/core/document';
import { ownPicture } from './own-picture.js';

const field = fc.oneof(
  fc.constantFrom(
    '1e308 * 1e308',
    '0 / 0',
    '1 / 0',
    '-(1 / 0)',
    'Level MOD 0',
    'Nth * 1e300',
    '9999999999999999999999',
    'Level',
    'NOT',
    '(((',
    '</svg><script>alert(1)</script>',
    'SQRT(-1)',
    'Store[Nth].Level',
    'Level'.repeat(50),
    `${'('.repeat(400)}1${')'.repeat(400)}`,
  ),
  fc.string({ maxLength: 40 }),
  fc.double().map(String),
  fc.integer().map(String),
);
const shape = fc.record(
  {
    id: fc.constant('s'),
    shape: fc.constantFrom('box', 'round', 'line', 'lamp', 'bar', 'text'),
    x: field,
    y: field,
    w: field,
    h: field,
    turn: field,
    show: field,
    lit: field,
    fill: field,
    times: field,
    text: fc.oneof(field, fc.constant('{Level} of {1 / 0}')),
  },
  { requiredKeys: ['id', 'shape', 'x', 'y'] },
);

it('no field of a shape draws without end, draws what is no number, or gets out of its text', () => {
  fc.assert(
    fc.property(shape, fc.constantFrom(0, 1, -1, NaN, Infinity, -Infinity, 1e308, 5e-324), (s, level) => {
      const kind = {
        id: 'k',
        type: 'Hostile',
        help: '',
        width: 120,
        terminals: [{ name: 'Level', type: 'REAL', direction: 'out', help: '' }],
        parameters: [],
        upsets: [],
        handles: [],
        locals: '',
        body: '',
        picture: [s],
      } as OwnKind;
      const picture = ownPicture(kind),
        markup = renderToStaticMarkup(
          createElement(
            'svg',
            null,
            picture.draw(() => level, 'Hostile <b>'),
          ),
        );
      // Attributes hold numbers; a text may say that something is none.
      expect(
        [...markup.matchAll(/ (?:transform|x|y|r|d|width|height)="([^"]*)"/g)].map((m) => m[1]).join(' '),
      ).not.toMatch(/NaN|Infinity|undefined/);
      expect(markup).not.toMatch(/<script|<b>/);
      expect(markup.match(/<(rect|circle|path|text)/g)?.length ?? 0).toBeLessThanOrEqual(2 * MOST_TIMES + 1);
    }),
    { numRuns: 400, seed: 22 },
  );
});
