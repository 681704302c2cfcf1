/** Edits of a whole text, told by the id of what it belongs to. */
import { sameName } from '../../language/words.js';
import type { Project } from '../document.js';
import type { Edit } from './index.js';

/**
 * The edit that puts `text` in place of a text of the project: a block's whole text, a ladder's own variables, a type.
 */
export function changeOf(project: Project, id: string, text: string): Edit {
  const pou = project.pous.find((p) => p.id === id);
  if (!pou) return { kind: 'changeType', id, to: { text: text.replace(/^TYPE | END_TYPE$/g, '') } };
  return pou.language === 'ST'
    ? { kind: 'changeText', pou: id, text }
    : { kind: 'changePou', id, to: { variables: text } };
}

/**
 * The same for a text somebody writes in: a new name or word in its header is the block's name and kind, and the tasks
 * follow it.
 */
export function textChange(project: Project, id: string, text: string): Edit {
  const pou = project.pous.find((p) => p.id === id);
  const e = changeOf(project, id, text);
  if (pou?.language !== 'ST') return e;
  const header =
    /^(?:\s|\/\/[^\n]*\n|\(\*[\s\S]*?\*\)|\{[^}]*\})*(PROGRAM|FUNCTION_BLOCK|FUNCTION|CLASS)\s+(?:(?:ABSTRACT|FINAL)\s+)*([A-Za-z_]\w*)/i.exec(
      text,
    );
  if (!header) return e;
  const name = header[2]!,
    word = header[1]!.toUpperCase();
  const kind = word === 'PROGRAM' ? 'program' : word === 'FUNCTION' ? 'function' : 'functionBlock';
  if (name === pou.name && kind === pou.kind) return e;
  const tasks = project.tasks.filter((t) => t.programs.some((n) => sameName(n, pou.name)));
  return {
    kind: 'group',
    label: `Rename ${pou.name} to ${name}`,
    edits: [
      e,
      { kind: 'changePou', id, to: { name, kind } },
      ...tasks.map((t): Edit => ({
        kind: 'changeTask',
        id: t.id,
        to: {
          programs:
            kind === 'program'
              ? t.programs.map((n) => (sameName(n, pou.name) ? name : n))
              : t.programs.filter((n) => !sameName(n, pou.name)),
        },
      })),
    ],
  };
}
