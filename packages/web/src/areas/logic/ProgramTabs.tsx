/**
 * The programs, blocks and functions of a project: chosen, made, named, copied, deleted here; and the tasks that run
 * them.
 */
import { TabList } from '../../components/tabs.js';
import { ChevronDown, Plus } from 'lucide-react';
import { DropdownMenu, Popover } from 'radix-ui';
import { useRef, useState } from 'react';
import type { Changes, Edit, ProjectPou, ProjectTask } from '@ferrule/core/document';
import { literally } from '@ferrule/core/language';
import { renamePou } from '@ferrule/core/workspace';
import { useOverflows } from '../../components/fitting.js';
import { focusHome } from '../../components/focus.js';
import { nameCompletion } from '../../components/names.js';
import { Button, EditInPlace, EditSentence, MENU, MENU_ITEM } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { numberedName } from '../../components/free-name.js';

interface Props {
  readonly pous: readonly ProjectPou[];
  readonly chosen: ProjectPou | undefined;
  readonly onChoose: (id: string) => void;
}

const KINDS = { program: 'program', functionBlock: 'block', function: 'function' } as const;

export function ProgramTabs({ pous, chosen, onChoose }: Props) {
  const [renaming, setRenaming] = useState<string>(),
    row = useRef<HTMLDivElement>(null),
    overflows = useOverflows(row, pous.map((p) => p.name).join(), 4);
  return (
    <div className="flex h-9 shrink-0 items-end gap-1 pt-1.5 pr-2">
      <TabList
        label="Programs and blocks"
        row={row}
        className="flex h-[30px] min-w-0 flex-wrap items-end gap-1 overflow-hidden"
        look="sheet"
        tabClass="flex h-[30px] max-w-60 items-center gap-2 text-[12.5px] data-[state=active]:bg-sunk"
        value={chosen?.id}
        onChoose={onChoose}
        tabs={pous.map((p) => ({
          value: p.id,
          words: (
            <>
              <span className="truncate">{p.name}</span>
              <span className="rounded border border-edge px-1 font-mono text-[9.5px] text-faint">{p.language}</span>
            </>
          ),
          title: [KINDS[p.kind], p.description].filter(Boolean).join(': '),
          className: overflows && p === chosen ? 'order-first' : '',
          onDoubleClick: () => setRenaming(p.id),
          onKeyDown: (e) => {
            if (e.key === 'F2') setRenaming(p.id);
          },
          instead: renaming === p.id && (
            <span className="flex h-[30px] items-center rounded-t-lg bg-sunk px-2">
              <NameField pou={p} onDone={() => setRenaming(undefined)} />
            </span>
          ),
        }))}
      />
      {overflows && <AllTabs pous={pous} chosen={chosen} onChoose={onChoose} />}
      {chosen && <TabMenu pou={chosen} onRename={() => setRenaming(chosen.id)} onChoose={onChoose} />}
      <NewMenu
        onChoose={(id) => {
          onChoose(id);
          setRenaming(id);
        }}
      />
      <span className="flex-1" />
      <Tasks />
    </div>
  );
}

/** Where not all tabs fit: every program and block by name. */
function AllTabs({ pous, chosen, onChoose }: Props) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          aria-label={`All ${pous.length} programs and blocks`}
          className="mb-0.5 flex h-6 shrink-0 items-center gap-1 rounded-md px-1.5 text-[12px] text-soft hover:bg-edge/40"
        >
          All {pous.length}
          <ChevronDown size={12} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content sideOffset={4} className={`${MENU} max-h-[70vh] overflow-auto`}>
          {pous.map((p) => (
            <DropdownMenu.Item key={p.id} className={`${MENU_ITEM} gap-3`} onSelect={() => onChoose(p.id)}>
              <span className={`flex-1 ${p === chosen ? 'font-semibold' : ''}`}>{p.name}</span>
              <span className="font-mono text-[10.5px] text-faint">{p.language}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The text of a block with another name in its header. */
function renamed(text: string, from: string, to: string): string {
  return text.replace(
    new RegExp(
      `^(\\s*(?:(?:\\/\\/[^\\n]*\\n|\\(\\*[\\s\\S]*?\\*\\))\\s*)*(?:PROGRAM|FUNCTION_BLOCK|FUNCTION|CLASS|INTERFACE|NAMESPACE)\\s+(?:ABSTRACT\\s+|FINAL\\s+)?)${from}\\b`,
      'i',
    ),
    `$1${to}`,
  );
}

function NameField({ pou, onDone }: { readonly pou: ProjectPou; readonly onDone: () => void }) {
  const commit = (name: string) => {
    onDone();
    if (!name || name === pou.name) return;
    const { project } = useDocument.getState();
    if (!project) return;
    const e = renamePou(project, pou.id, name);
    if ('refused' in e) useDocument.setState({ refused: e.refused });
    else useDocument.getState().edit(e);
  };
  return (
    <input
      autoFocus
      data-naming=""
      aria-label={`Name of ${pou.name}`}
      defaultValue={pou.name}
      spellCheck={false}
      onFocus={(e) => e.currentTarget.select()}
      onBlur={(e) => commit(e.currentTarget.value.trim())}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === 'Escape') e.currentTarget.value = pou.name;
        if (e.key === 'Enter' || e.key === 'Escape') {
          e.currentTarget.blur();
          focusHome();
        }
      }}
      className="h-6 w-36 rounded border border-copper bg-sheet px-1.5 text-[12.5px] outline-none"
    />
  );
}

function TabMenu({
  pou,
  onRename,
  onChoose,
}: {
  readonly pou: ProjectPou;
  readonly onRename: () => void;
  readonly onChoose: (id: string) => void;
}) {
  const edit = useDocument((s) => s.edit);
  const remove = () => {
    const { project } = useDocument.getState();
    const users = (project?.pous ?? [])
      .filter(
        (p) =>
          p !== pou &&
          new RegExp(`(?<![\\w.])${literally(pou.name)}(?!\\w)`, 'i').test(
            p.language === 'ST' ? p.text : `${p.variables ?? ''} ${p.rungs.map((r) => r.line).join(' ')}`,
          ),
      )
      .map((p) => p.name);
    const tags = (project?.tags ?? [])
      .filter((t) => t.type.toLowerCase() === pou.name.toLowerCase())
      .map((t) => t.name);
    if (pou.kind !== 'program' && users.length + tags.length) {
      useDocument.setState({
        refused: `‘${pou.name}’ is used by ${[...users, ...tags].join(', ')} and stays. Take it out there first.`,
      });
      return;
    }
    const edits: Edit[] = (project?.tasks ?? [])
      .filter((t) => t.programs.includes(pou.name))
      .map((t): Edit => ({ kind: 'changeTask', id: t.id, to: { programs: t.programs.filter((n) => n !== pou.name) } }));
    edit({ kind: 'group', label: `Delete ${pou.name}`, edits: [...edits, { kind: 'removePou', id: pou.id }] });
  };
  const copy = () => {
    const { project } = useDocument.getState();
    let name = `${pou.name}2`;
    for (let i = 3; project?.pous.some((p) => p.name.toLowerCase() === name.toLowerCase()); i++)
      name = `${pou.name}${i}`;
    const id = newId('p');
    const made: ProjectPou =
      pou.language === 'ST'
        ? { ...pou, id, name, text: renamed(pou.text, pou.name, name) }
        : { ...pou, id, name, rungs: pou.rungs.map((r) => ({ ...r, id: newId('r') })) };
    edit({ kind: 'addPou', pou: made, at: (project?.pous.findIndex((p) => p.id === pou.id) ?? 0) + 1 });
    onChoose(id);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          aria-label={`What can be done with ${pou.name}`}
          className="mb-1 grid h-6 w-6 shrink-0 place-items-center rounded text-soft hover:bg-edge/40"
        >
          <ChevronDown size={13} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content sideOffset={4} className={MENU} onCloseAutoFocus={giveFocusToName}>
          <DropdownMenu.Item className={MENU_ITEM} onSelect={onRename}>
            <span className="flex-1">Rename</span>
            <kbd className="font-mono text-[10.5px] text-faint">F2</kbd>
          </DropdownMenu.Item>
          <DropdownMenu.Item className={MENU_ITEM} onSelect={copy}>
            Make a copy
          </DropdownMenu.Item>
          <DropdownMenu.Item className={`${MENU_ITEM} text-bad`} onSelect={remove}>
            Delete {pou.name}
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const NEW: readonly (readonly [string, 'LD' | 'ST', ProjectPou['kind'], string])[] = [
  ['Program in ladder', 'LD', 'program', 'Program'],
  ['Program in structured text', 'ST', 'program', 'Program'],
  ['Function block in ladder', 'LD', 'functionBlock', 'Block'],
  ['Function block in structured text', 'ST', 'functionBlock', 'Block'],
  ['Function in structured text', 'ST', 'function', 'Function'],
];

function NewMenu({ onChoose }: { readonly onChoose: (id: string) => void }) {
  const make = (language: 'LD' | 'ST', kind: ProjectPou['kind'], stem: string) => {
    const { project, edit } = useDocument.getState();
    if (!project) return;
    let n = 1;
    while (project.pous.some((p) => p.name.toLowerCase() === `${stem}${n}`.toLowerCase())) n++;
    const name = `${stem}${n}`,
      id = newId('p');
    const text =
      kind === 'program'
        ? `PROGRAM ${name}\nVAR\nEND_VAR\n\nEND_PROGRAM\n`
        : kind === 'function'
          ? `FUNCTION ${name} : INT\nVAR_INPUT\n  x : INT;\nEND_VAR\n${name} := x;\nEND_FUNCTION\n`
          : `FUNCTION_BLOCK ${name}\nVAR_INPUT\nEND_VAR\nVAR_OUTPUT\nEND_VAR\nVAR\nEND_VAR\n\nEND_FUNCTION_BLOCK\n`;
    const pou: ProjectPou =
      language === 'ST'
        ? { id, name, language, kind, text }
        : { id, name, language, kind: kind === 'functionBlock' ? kind : 'program', rungs: [] };
    const [task] = project.tasks;
    edit({
      kind: 'group',
      label: `New ${name}`,
      edits: [
        { kind: 'addPou', pou, at: project.pous.length },
        ...(kind === 'program' && task
          ? [{ kind: 'changeTask', id: task.id, to: { programs: [...task.programs, name] } } as Edit]
          : []),
      ],
    });
    onChoose(id);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          type="button"
          aria-label="New program or block"
          className="mb-1 grid h-6 w-6 shrink-0 place-items-center rounded text-soft hover:bg-edge/40"
        >
          <Plus size={14} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content sideOffset={4} className={MENU} onCloseAutoFocus={giveFocusToName}>
          {NEW.map(([words, language, kind, stem]) => (
            <DropdownMenu.Item key={words} className={MENU_ITEM} onSelect={() => make(language, kind, stem)}>
              {words}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** A menu gives the focus back to its button, unless a name is being typed for what it made. */
const giveFocusToName = (e: Event) => {
  const field = document.querySelector<HTMLInputElement>('[data-naming]');
  if (!field) return;
  e.preventDefault();
  field.focus();
};

function Tasks() {
  const tasks = useDocument((s) => s.project?.tasks) ?? [];
  const programs = useDocument((s) => s.project?.pous)?.filter((p) => p.kind === 'program') ?? [];
  const edit = useDocument((s) => s.edit);
  const free = programs.filter(
    (p) => !tasks.some((t) => t.programs.some((n) => n.toLowerCase() === p.name.toLowerCase())),
  );
  const change = (t: ProjectTask, to: Changes<ProjectTask>) => edit({ kind: 'changeTask', id: t.id, to });
  const toggle = (t: ProjectTask, name: string) =>
    change(t, {
      programs: t.programs.some((n) => n.toLowerCase() === name.toLowerCase())
        ? t.programs.filter((n) => n.toLowerCase() !== name.toLowerCase())
        : [...t.programs, name],
    });
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button
          type="button"
          className="mb-1 flex h-6 shrink-0 items-center gap-1 rounded px-1.5 text-[12px] text-soft hover:bg-edge/40"
        >
          {tasks.length === 1
            ? `Task ${tasks[0]!.name} · ${tasks[0]!.event ?? tasks[0]!.interval}`
            : tasks.length
              ? `${tasks.length} tasks`
              : 'No task · 10 ms'}
          <ChevronDown size={12} />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          align="end"
          aria-label="Tasks"
          className="z-50 w-[620px] rounded-lg border border-edge bg-sheet p-3 text-[12.5px] text-ink shadow-xl"
        >
          <table className="w-full">
            <thead>
              <tr className="text-left text-[12px] text-soft">
                {['Task', 'Every', 'or on', 'Priority', 'Runs', ''].map((h) => (
                  <th key={h} className="px-1 pb-1 font-normal">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {tasks.map((t) => (
                <tr key={t.id} className="border-t border-edge align-top">
                  <td className="w-28 py-1">
                    <EditInPlace
                      value={t.name}
                      label={`Name of task ${t.name}`}
                      onCommit={(name) => {
                        if (name) change(t, { name });
                      }}
                    />
                  </td>
                  <td className="w-24 py-1">
                    <EditInPlace
                      mono
                      value={t.interval}
                      label={`Interval of ${t.name}`}
                      onCommit={(interval) => {
                        if (interval) change(t, { interval });
                      }}
                    />
                  </td>
                  <td className="w-28 py-1">
                    <EditSentence
                      mono
                      value={t.event ?? ''}
                      label={`Event of ${t.name}`}
                      complete={nameCompletion}
                      marks={false}
                      placeholder="a tag comes on"
                      onCommit={(event) => change(t, { event: event || null })}
                    />
                  </td>
                  <td className="w-16 py-1">
                    <EditInPlace
                      mono
                      value={String(t.priority)}
                      label={`Priority of ${t.name}`}
                      onCommit={(p) => {
                        if (/^\d+$/.test(p)) change(t, { priority: Number(p) });
                        else
                          useDocument.setState({
                            refused: `The priority is a whole number from 0, not ‘${p}’; 0 runs first.`,
                          });
                      }}
                    />
                  </td>
                  <td className="py-1.5">
                    {programs.map((p) => (
                      <label key={p.id} className="mr-3 inline-flex items-center gap-1">
                        <input
                          type="checkbox"
                          checked={t.programs.some((n) => n.toLowerCase() === p.name.toLowerCase())}
                          onChange={() => toggle(t, p.name)}
                        />
                        {p.name}
                      </label>
                    ))}
                  </td>
                  <td className="py-1 text-right">
                    <Button
                      look="quiet"
                      aria-label={`Delete task ${t.name}`}
                      onClick={() => edit({ kind: 'removeTask', id: t.id })}
                    >
                      Delete
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {free.length > 0 && (
            <p className="mt-1 text-soft">
              Without a task, {tasks.length ? 'in every scan after the tasks' : 'every 10 ms'}:{' '}
              {free.map((p) => p.name).join(', ')}
            </p>
          )}
          <div className="mt-2">
            <Button
              onClick={() =>
                edit({
                  kind: 'addTask',
                  task: {
                    id: newId('k'),
                    name: numberedName(
                      'Task',
                      tasks.map((t) => t.name),
                    ),
                    interval: '10 ms',
                    priority: tasks.length + 1,
                    programs: [],
                  },
                  at: tasks.length,
                })
              }
            >
              New task
            </Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
