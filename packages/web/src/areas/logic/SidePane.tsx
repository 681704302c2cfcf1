/** Beside the logic: the machine with its panel, the outline, the tags to drag or look up, where a tag is used. */
import { TabList } from '../../components/tabs.js';
import { PanelRightClose, PanelRightOpen } from 'lucide-react';
import { useMemo, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import type { ProjectPou, Tag } from '@ferrule/core/document';
import type { Use } from '@ferrule/core/workspace';
import { useBench, useLook, useValue } from '../../bench/live.js';
import { completeTags } from '../../components/complete.js';
import { useDesk } from '../../components/desk.js';
import { toggleFold, useFolded } from '../../components/folds.js';
import { MachinePane } from '../../components/machine/MachinePane.js';
import { ValueMarks } from '../../components/ValueMarks.js';
import { valueText } from '../../components/values.js';
import { useDocument } from '../../document/store.js';
import { addressOfUse, jumpTo } from '../../shell/place.js';
import { grab } from '../../components/drag.js';
import { useSheet } from './commands.js';
import { useUses } from './uses.js';

const SIDES = [
  ['machine', 'Machine'],
  ['outline', 'Outline'],
  ['tags', 'Tags'],
  ['uses', 'Used'],
] as const;

export function SidePane({ pou }: { readonly pou: ProjectPou | undefined }) {
  const { side, set } = useDesk();
  if (useFolded('side'))
    return (
      <button
        aria-label="Open the pane at the right"
        title="Machine, outline, tags, where used (⇧F4)"
        onClick={() => toggleFold('side')}
        className="hidden items-start justify-center border-l border-edge bg-sunk pt-2.5 text-soft hover:text-ink min-[900px]:flex"
      >
        <PanelRightOpen size={15} />
      </button>
    );
  return (
    <div className="hidden min-h-0 flex-col border-l border-edge bg-sunk min-[900px]:flex">
      <div className="flex h-9 shrink-0 items-end border-b border-edge px-2">
        <TabList
          label="Beside the logic"
          className="flex items-end gap-1"
          tabClass="-mb-px px-2 pb-1.5 text-[12.5px]"
          value={side}
          onChoose={(value) => set({ side: value as typeof side })}
          tabs={SIDES.map(([value, words]) => ({ value, words }))}
        />
        <button
          aria-label="Fold the pane at the right"
          title="Fold this pane (⇧F4); all panes: Ctrl+F2"
          onClick={() => toggleFold('side')}
          className="ml-auto pb-2 text-faint hover:text-ink"
        >
          <PanelRightClose size={14} />
        </button>
      </div>
      <div className="min-h-0 flex-1">
        {side === 'machine' ? (
          <MachinePane />
        ) : side === 'outline' ? (
          <Outline chosen={pou} />
        ) : side === 'tags' ? (
          <TagList />
        ) : (
          <Uses />
        )}
      </div>
    </div>
  );
}

const NO_USES: readonly Use[] = [];
const row = 'block w-full truncate rounded px-2 py-0.5 text-left hover:bg-edge/30';

/** Programs with their headings and the first words of each comment. */
function Outline({ chosen }: { readonly chosen: ProjectPou | undefined }) {
  const pous = useDocument((s) => s.project?.pous) ?? [];
  const { id } = useParams();
  const navigate = useNavigate();
  const [search] = useSearchParams();
  const open = (to: string) =>
    jumpTo(
      navigate,
      `/projects/${id}/logic?${to}`,
      `/projects/${id}/logic?${useSheet.getState().where ?? search.toString()}`,
    );
  const lines = (
    p: ProjectPou,
  ): readonly { readonly key: string; readonly words: string; readonly to: string; readonly isHead: boolean }[] =>
    p.language === 'LD'
      ? p.rungs.flatMap((r, i) => [
          ...(r.heading ? [{ key: `${r.id}h`, words: r.heading, to: `pou=${p.id}&rung=${r.id}`, isHead: true }] : []),
          ...(p === chosen && r.comment
            ? [
                {
                  key: r.id,
                  words: `${i + 1}  ${r.comment.split('\n')[0]}`,
                  to: `pou=${p.id}&rung=${r.id}`,
                  isHead: false,
                },
              ]
            : []),
        ])
      : [...p.text.matchAll(/^\s*(?:\/\/\s*##?\s*(.+)|(METHOD|FUNCTION|FUNCTION_BLOCK|CLASS|VAR\w*)\b[^\n;:]*)/gm)].map(
          (m) => ({
            key: String(m.index),
            words: (m[1] ?? m[0]).trim(),
            to: `pou=${p.id}&at=${m.index + m[0].length - m[0].trimStart().length}`,
            isHead: m[1] !== undefined,
          }),
        );
  return (
    <nav aria-label="Outline" className="h-full overflow-y-auto p-2 text-[12.5px]">
      {pous.map((p) => (
        <div key={p.id} className="mb-2">
          <button
            className={`${row} font-semibold ${p === chosen ? 'text-copper-ink' : ''}`}
            onClick={() => open(`pou=${p.id}`)}
          >
            {p.name}{' '}
            <span className="font-mono text-[10px] font-normal text-faint">
              {p.language}
              {p.language === 'LD' ? ` · ${p.rungs.length}` : ''}
            </span>
          </button>
          {lines(p).map((l) => (
            <button
              key={l.key}
              className={`${row} pl-5 ${l.isHead ? '' : 'text-soft'}`}
              title={l.words}
              onClick={() => open(l.to)}
            >
              {l.words}
            </button>
          ))}
        </div>
      ))}
    </nav>
  );
}

/** Tags with their values, to drag onto a rung. */
function TagList() {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const [find, setFind] = useState('');
  const shown = useMemo(() => (find ? completeTags(tags, find) : tags.slice(0, 60)), [tags, find]);
  useLook(shown.map((t) => t.name));
  return (
    <section aria-label="Tags to drag" className="flex h-full min-h-0 flex-col p-2">
      <input
        type="search"
        aria-label="Find a tag"
        placeholder="Find, then drag onto a rung"
        value={find}
        onChange={(e) => setFind(e.target.value)}
        onKeyDown={(e) => e.stopPropagation()}
        className="mb-1 h-7 shrink-0 rounded-md border border-edge bg-sheet px-2 text-[12.5px] outline-none focus:border-copper"
      />
      <ul className="min-h-0 flex-1 overflow-y-auto text-[12.5px]">
        {shown.map((t) => (
          <TagRow key={t.id} tag={t} />
        ))}
      </ul>
      {!find && tags.length > 60 && (
        <p className="pt-1 text-[11.5px] text-faint">{tags.length - 60} more: type a part of the name.</p>
      )}
    </section>
  );
}

function TagRow({ tag }: { readonly tag: Tag }) {
  const value = useValue(tag.name);
  const type = useBench((s) => s.checked?.tags[tag.name.toLowerCase()]?.type);
  return (
    <li
      onPointerDown={(e) => {
        e.preventDefault();
        grab(e, () => ({ text: tag.name, tag: tag.name }));
      }}
      title={tag.description}
      className="flex cursor-grab touch-none items-baseline gap-2 rounded px-2 py-0.5 hover:bg-edge/30"
    >
      <span className="font-medium">{tag.name}</span>
      <span className="min-w-0 flex-1 truncate text-soft">{tag.description}</span>
      <ValueMarks path={tag.name} />
      <span className={`font-mono text-[11px] ${value === true ? 'font-semibold text-copper-ink' : ''}`}>
        {valueText(value, type)}
      </span>
      <span className="w-14 text-right font-mono text-[10.5px] text-faint">{tag.address ?? tag.type}</span>
    </li>
  );
}

function Uses() {
  const { name, list } = useUses();
  const known = useBench((s) => (name ? s.checked?.uses[name.toLowerCase()] : undefined)) ?? NO_USES;
  const uses: readonly {
    readonly place: string;
    readonly isWrite: boolean;
    readonly to: (project: string) => string;
  }[] = list
    ? list.map((u) => ({
        place: u.where,
        isWrite: u.isWrite,
        to: (p) =>
          u.place.kind === 'rung'
            ? `/projects/${p}/logic?pou=${u.place.pou}&rung=${u.place.id}`
            : `/projects/${p}/logic?pou=${u.place.id}&at=${u.start}`,
      }))
    : known.map((u) => ({ place: u.place, isWrite: u.isWrite, to: (p) => addressOfUse(u, p) }));
  const { id } = useParams();
  const navigate = useNavigate();
  const [search] = useSearchParams();
  if (!name)
    return (
      <p className="p-4 text-soft">Stand on a contact, coil or name and press ⇧F12 to see where its tag is used.</p>
    );
  return (
    <section aria-label={`Uses of ${name}`} className="h-full overflow-y-auto p-3 text-[12.5px]">
      <h2 className="mb-1 text-[13.5px] font-semibold">
        {name}{' '}
        <span className="font-normal text-soft">
          · {uses.length} use{uses.length === 1 ? '' : 's'}
        </span>
      </h2>
      {!uses.length && <p className="text-soft">Nowhere.</p>}
      <ul>
        {uses.map((u, i) => (
          <li key={i}>
            <button
              className="flex w-full justify-between border-b border-edge py-1 text-left hover:text-copper-ink"
              onClick={() =>
                jumpTo(
                  navigate,
                  u.to(id ?? ''),
                  `/projects/${id}/logic?${useSheet.getState().where ?? search.toString()}`,
                )
              }
            >
              <span>{u.place}</span>
              <span className={u.isWrite ? 'font-medium text-copper-ink' : 'text-soft'}>
                {u.place.startsWith('Machine') ? 'wired' : u.isWrite ? 'written' : 'read'}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <p className="mt-2 text-[11.5px] text-faint">Alt+← comes back.</p>
    </section>
  );
}
