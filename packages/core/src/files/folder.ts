/**
 * A project as a folder of text for version control: tags as CSV, rungs as lines, text as text. Nothing is lost:
 * reading it back gives an equal project.
 */
import { rungsOfText, rungsToText } from '../ladder/sheet.js';
import type { Project, ProjectPou, Tag } from '../document/document.js';
import { emptyProject } from '../document/document.js';
import { type ProveIds, proveToText, textToProve } from './prove-text.js';
import { readTags, tagsToCsv } from './tags-csv.js';

/** Path in the folder → text of the file. */
export type Folder = ReadonlyMap<string, string>;

const json = (value: unknown): string => `${JSON.stringify(value, null, 2)}\n`;
const isObject = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null && !Array.isArray(x);
const areTexts = (x: unknown): boolean => Array.isArray(x) && x.every((t) => typeof t === 'string');
/** Ids are written by Ferrule; what is not as it writes them is told, not guessed. */
function checkIds(ids: unknown): void {
  if (ids === undefined) return;
  const o = isObject(ids) ? ids : {},
    all = (x: unknown, fits: (y: Record<string, unknown>) => boolean): boolean =>
      x === undefined || (Array.isArray(x) && x.every((y: unknown) => isObject(y) && fits(y)));
  const isRight =
    isObject(ids) &&
    (o['tags'] === undefined || areTexts(o['tags'])) &&
    (o['rules'] === undefined || areTexts(o['rules'])) &&
    all(
      o['types'],
      (t) => typeof t['id'] === 'string' && Number.isSafeInteger(t['lines']) && (t['lines'] as number) >= 0,
    ) &&
    all(o['checks'], (c) => typeof c['id'] === 'string' && areTexts(c['rows']));
  if (!isRight)
    throw new Error('project.json: ids are not as Ferrule writes them; take them out, and new ones are given.');
}
/** Devices of old that Windows has no files for, whatever their ending: `aux.st` cannot be checked out there. */
const NO_FILE = /^(con|prn|aux|nul|com\d|lpt\d)$/i;
const fileName = (name: string): string => {
  const plain = name.replace(/[^\w-]+/g, '_') || '_';
  return NO_FILE.test(plain) ? `${plain}_` : plain;
};

export function projectToFolder(p: Project): Folder {
  const files = new Map<string, string>();
  const { tags, types, pous, machine, checks, rules, ...head } = p;
  const taken = new Set<string>();
  const unique = (path: (n: string) => string, name: string): string => {
    let n = fileName(name);
    for (let i = 2; taken.has(path(n).toLowerCase()); i++) n = `${fileName(name)}_${i}`;
    taken.add(path(n).toLowerCase());
    return path(n);
  };
  const logic = pous.map((x) => {
    const path = unique((n) => `logic/${n}.${x.language === 'LD' ? 'ld' : 'st'}`, x.name);
    files.set(path, x.language === 'ST' ? x.text : rungsToText(x.rungs));
    const variables = x.language === 'LD' && x.variables !== undefined ? path.replace(/\.ld$/, '.var.st') : undefined;
    if (variables && x.language === 'LD') files.set(variables, x.variables!);
    return {
      file: path,
      ...(variables ? { variables } : {}),
      id: x.id,
      name: x.name,
      kind: x.kind,
      ...(x.description !== undefined ? { description: x.description } : {}),
      ...(x.language === 'LD' ? { rungs: x.rungs.map((r) => r.id) } : {}),
    };
  });
  files.set('tags.csv', tagsToCsv(tags));
  files.set('types.st', types.map((t) => `${t.text}\n`).join('\n'));
  // Text of own devices stays text, so that it compares line by line.
  const kinds = machine.kinds?.map(({ locals, body, ...k }) => {
    const path = unique((n) => `devices/${n}.st`, k.type);
    files.set(path, body);
    files.set(path.replace(/\.st$/, '.var.st'), locals);
    return { ...k, file: path };
  });
  files.set('machine.json', json(kinds ? { ...machine, kinds } : machine));
  const prove = proveToText(checks, rules);
  files.set('prove.txt', prove.text);
  // Ids last: undo, compare and live edit follow things by them, people do not read them.
  files.set(
    'project.json',
    json({
      ...head,
      logic,
      ids: {
        tags: tags.map((t) => t.id),
        ...prove.ids,
        types: types.map((t) => ({ id: t.id, lines: t.text.split('\n').length })),
      },
    }),
  );
  return files;
}

export type FolderRead = { readonly document: unknown } | { readonly problem: string };

/** The project document of a folder, to be checked as a project file is; or the file that is wrong. */
export function folderToDocument(files: Folder): FolderRead {
  const text = (path: string): string | undefined => files.get(path);
  const parsed = (path: string): unknown => {
    const t = text(path);
    if (t === undefined) throw new Error(`${path}: the file is missing.`);
    let value: unknown;
    try {
      value = JSON.parse(t.replace(/^\ufeff/, ''));
    } catch (e) {
      throw new Error(`${path}: this is not JSON: ${(e as Error).message}`);
    }
    if (!isObject(value)) throw new Error(`${path}: it must hold an object.`);
    return value;
  };
  try {
    const { logic, ids, ...head } = parsed('project.json') as {
      logic: {
        file: string;
        variables?: string;
        id: string;
        name: string;
        kind: string;
        description?: string;
        rungs?: string[];
      }[];
      ids: Partial<ProveIds> & { tags?: string[]; types?: { id: string; lines: number }[] };
    };
    if (!Array.isArray(logic) || logic.some((l: unknown) => !isObject(l) || typeof l['file'] !== 'string'))
      throw new Error('project.json: logic must be a list, each with its file.');
    checkIds(ids);
    const known = new Map((ids?.tags ?? []).map((id, i) => [i, id]));
    const tags = tagsOf(text('tags.csv') ?? '').map((t, i): Tag => ({ ...t, id: known.get(i) ?? `t${i + 1}` }));
    const lines = (text('types.st') ?? '').split('\n');
    let at = 0;
    const types = (ids?.types ?? []).map((t) => {
      const own = lines.slice(at, at + t.lines).join('\n');
      at += t.lines + 1;
      return { id: t.id, text: own };
    });
    const pous = logic.map((l): ProjectPou => {
      const body = text(l.file);
      if (body === undefined) throw new Error(`${l.file}: project.json names it, but it is not there.`);
      const common = { id: l.id, name: l.name, ...(l.description !== undefined ? { description: l.description } : {}) };
      if (l.file.endsWith('.st')) return { ...common, language: 'ST', kind: l.kind as 'program', text: body };
      const rungs = rungsOfText(body).map((r, i) => ({ id: l.rungs?.[i] ?? `${l.id}r${i + 1}`, ...r }));
      const variables = l.variables ? text(l.variables) : undefined;
      return {
        ...common,
        language: 'LD',
        kind: l.kind as 'program',
        ...(variables !== undefined ? { variables } : {}),
        rungs,
      };
    });
    const { kinds: given, ...assembled } = parsed('machine.json') as {
      kinds?: readonly (Record<string, unknown> & { file: string })[];
    };
    if (
      given !== undefined &&
      (!Array.isArray(given) || given.some((k: unknown) => !isObject(k) || typeof k['file'] !== 'string'))
    )
      throw new Error('machine.json: kinds must be a list, each with its file.');
    const kinds = given?.map(({ file, picture, ...k }) => {
      const body = text(file),
        locals = text(file.replace(/\.st$/, '.var.st'));
      if (body === undefined || locals === undefined)
        throw new Error(
          `${body === undefined ? file : file.replace(/\.st$/, '.var.st')}: machine.json names it, but it is not there.`,
        );
      return { ...k, locals, body, picture };
    });
    const machine = { ...assembled, ...(kinds ? { kinds } : {}) };
    // Folders written before checks were lines have them as JSON.
    const { checks, rules } =
      text('prove.txt') === undefined && text('prove.json') !== undefined
        ? (parsed('prove.json') as Pick<Project, 'checks' | 'rules'>)
        : proveOf(text('prove.txt'), ids);
    const { format, version, name, description, plan, tasks, modules, outside, board, checking, scope, ...more } =
      head as unknown as Omit<Project, 'tags' | 'types' | 'pous' | 'machine' | 'checks' | 'rules'>;
    // In the order of a project file, so that equal projects are equal texts.
    return {
      document: {
        format,
        version,
        name,
        ...(description !== undefined ? { description } : {}),
        ...(plan ? { plan } : {}),
        tags,
        types,
        pous,
        tasks,
        ...(modules ? { modules } : {}),
        machine,
        ...(outside ? { outside } : {}),
        ...(board ? { board } : {}),
        checks,
        rules,
        ...(checking ? { checking } : {}),
        scope,
        ...more,
      },
    };
  } catch (e) {
    return { problem: (e as Error).message };
  }
}

function proveOf(text: string | undefined, ids: Partial<ProveIds> | undefined): Pick<Project, 'checks' | 'rules'> {
  if (text === undefined) throw new Error('prove.txt: the file is missing.');
  try {
    return textToProve(text, ids);
  } catch (e) {
    throw new Error(`prove.txt: ${(e as Error).message}`);
  }
}

function tagsOf(csv: string): Omit<Tag, 'id'>[] {
  if (!csv.trim()) return [];
  // Types are judged by the check of the whole project; here every word may be one, so that no row is refused for its
  // type.
  const words = new Set(csv.match(/[A-Za-z_]\w*/g) ?? []);
  const read = readTags(csv, { ...emptyProject(''), types: [...words].map((w) => ({ id: w, text: w })) }, () => '', {
    isStored: true,
  });
  if ('error' in read) throw new Error(`tags.csv: ${read.error}`);
  if (read.problem !== undefined) throw new Error(`tags.csv: ${read.problem}`);
  const refused = read.rows.find((r) => r.fate === 'refused');
  if (refused) throw new Error(`tags.csv: line ${refused.line}: ${refused.note}`);
  return read.rows.flatMap((r) => (r.edit?.kind === 'addTag' ? [r.edit.tag] : []));
}
