import type { Rule } from './rule.js';
import { eachStatement } from '../../checked/walk.js';

/** A condition that is the same in every scan. An endless WHILE is another rule's business. */
export const constantCondition: Rule = {
  code: 'CONSTANT_CONDITION',
  about: 'A condition is the same in every scan.',
  help: {
    why: 'It decides nothing. A literal left over from a trial, or a comparison of two constants, hides what the logic depends on.',
    breaks: 'IF TRUE OR Start THEN Motor := TRUE; END_IF;',
    holds: 'IF Start THEN Motor := TRUE; END_IF;',
  },
  checkPou(pou, report) {
    eachStatement(pou.body, (s) => {
      if (s.kind === 'if')
        for (const b of s.branches)
          if (b.condition.kind === 'constant')
            report(b.condition.at, `This condition is always ${b.condition.value ? 'TRUE' : 'FALSE'}.`);
      if (s.kind === 'case' && s.selector.kind === 'constant')
        report(s.selector.at, 'This CASE always takes the same way.');
      if (s.kind === 'repeat' && s.until.kind === 'constant' && s.until.value === true)
        report(s.until.at, 'This loop always runs once.');
      // The left rail itself is on by nature; what stands on an element is not.
      if (s.kind === 'rung')
        for (const x of s.body)
          if (x.kind === 'setPower' && x.value.kind === 'constant' && x.at.end - x.at.start < s.at.end - s.at.start)
            report(x.at, `This contact is always ${x.value.value ? 'closed' : 'open'}: it is a constant.`);
    });
  },
};
