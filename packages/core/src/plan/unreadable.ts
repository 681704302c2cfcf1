import { Problems } from '../language/diagnostic.js';
import { parseExpressionText } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import { parseCondition } from '../sentences/sentences.js';

/** Why a condition cannot be read; what its names are is not asked here, they may not be there yet. */
export function unreadable(text: string | undefined): string | undefined {
  const said = text?.trim();
  if (!said) return undefined;
  const found = new Problems();
  parseExpressionText(makeSource('', parseCondition(said).text, { kind: 'library' }), found);
  const first = found.list.find((d) => d.severity === 'error');
  return first && `‘${said}’ is no condition: ${first.message} Write for example DoorShut AND NOT Fault.`;
}
