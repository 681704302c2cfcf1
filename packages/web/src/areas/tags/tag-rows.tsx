/** Rows of the list of tags: tags, instances that rungs declare, members of what is opened. */
import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import type { Changes, Difference, Edit, Tag } from '@ferrule/core/document';
import { type RungInstance, addressFor, compile, renameTag } from '@ferrule/core/workspace';
import { askBench, benchLive, useBench } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { askWhy } from '../../components/asking.js';
import { grab } from '../../components/drag.js';
import { InstanceNow, Now } from '../../components/Now.js';
import { useTypeChoices } from '../../components/types.js';
import { Button, Cell, EditInPlace } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

/** An instance by the name that its values are read by, or the place of its declaration. */
export const nameOf = (i: RungInstance): string => i.path ?? `${i.pou}.${i.name}`;

export const SIMPLE = /^(BOOL|S?INT|DINT|LINT|U?S?INT|UDINT|ULINT|L?REAL|L?TIME|L?DATE|L?TOD|L?DT|W?CHAR|W?STRING.*)$/i;

export const COLUMNS =
  'grid grid-cols-[18px_minmax(110px,1.1fr)_82px_80px_44px_122px_minmax(60px,2fr)_40px] items-center gap-x-1 min-[1200px]:grid-cols-[18px_minmax(130px,1.1fr)_104px_92px_58px_134px_minmax(140px,2fr)_48px] min-[1200px]:gap-x-2';

/** A row of the list: a tag, an instance that a rung declares, or a member of one that is opened. */
type Row =
  | { readonly kind: 'tag'; readonly tag: Tag }
  | { readonly kind: 'instance'; readonly instance: RungInstance }
  | {
      readonly kind: 'member';
      readonly path: string;
      readonly name: string;
      readonly type: string;
      readonly hasMembers: boolean;
      readonly depth: number;
    };

type Members = Readonly<
  Record<
    string,
    readonly { readonly path: string; readonly name: string; readonly type: string; readonly hasMembers: boolean }[]
  >
>;

/** What is opened, with its members: asked of the bench once a path is opened, and again when the program changes. */
export function useMembers(): { readonly members: Members; readonly toggle: (path: string) => void } {
  const [open, setOpen] = useState<readonly string[]>([]);
  const [members, setMembers] = useState<Members>({});
  const generation = useBench((s) => s.frame?.generation);
  useEffect(() => {
    let isOn = true;
    void Promise.all(open.map(async (path) => [path, (await askBench('members', { path })) ?? []] as const)).then(
      (list) => {
        if (isOn) setMembers(Object.fromEntries(list));
      },
    );
    return () => {
      isOn = false;
    };
  }, [open, generation]);
  return {
    members,
    toggle: (path) =>
      setOpen((o) =>
        o.includes(path)
          ? o.filter((x) => x !== path && !x.startsWith(`${path}.`) && !x.startsWith(`${path}[`))
          : [...o, path],
      ),
  };
}

export function rowsOf(tags: readonly Tag[], instances: readonly RungInstance[], members: Members): Row[] {
  const below = (path: string, depth: number): Row[] =>
    (members[path] ?? []).flatMap((m): Row[] => [{ kind: 'member', ...m, depth }, ...below(m.path, depth + 1)]);
  return [
    ...tags.flatMap((tag): Row[] => [{ kind: 'tag', tag }, ...below(tag.name, 1)]),
    ...instances.flatMap((instance): Row[] => [
      { kind: 'instance', instance },
      ...(instance.path === undefined ? [] : below(instance.path, 1)),
    ]),
  ];
}

export function TagRow({
  tag,
  isChosen,
  problem,
  differs,
  used,
  isOpen,
  onToggle,
  onChoose,
}: {
  readonly tag: Tag;
  readonly isChosen: boolean;
  readonly problem: ProblemNote | undefined;
  /** How it is at the controller, where that is otherwise. */ readonly differs: Difference | undefined;
  readonly used: number;
  readonly isOpen: boolean;
  readonly onToggle: () => void;
  readonly onChoose: () => void;
}) {
  const edit = useDocument((s) => s.edit),
    types = useTypeChoices();
  const change = (to: Changes<Tag>) => edit({ kind: 'changeTag', id: tag.id, to });
  const optional = (text: string) => text || null;
  const mark = tag.address?.startsWith('%I') ? 'bg-input' : tag.address?.startsWith('%Q') ? 'bg-copper' : 'bg-edge';
  return (
    <div
      role="row"
      aria-label={tag.name}
      aria-selected={isChosen}
      onFocus={onChoose}
      onPointerDown={(e) => {
        onChoose();
        if (!(e.target as HTMLElement).closest('input, button')) grab(e, () => ({ text: tag.name, tag: tag.name }));
      }}
      onKeyDownCapture={(e) => {
        if (e.key === 'F4') {
          e.preventDefault();
          void askWhy(tag.name);
        }
      }}
      className={`${COLUMNS} h-full border-b border-edge px-3 ${isChosen ? 'bg-glow/60' : ''} ${problem ? (problem.severity === 'error' ? 'shadow-[inset_3px_0_0_var(--bad)]' : 'shadow-[inset_3px_0_0_var(--copper)]') : ''}`}
      title={problem?.message}
    >
      <Cell>
        {SIMPLE.test(tag.type) ? (
          <span
            className={`mx-auto block h-3 w-1.5 rounded-full ${mark}`}
            title={tag.address?.startsWith('%I') ? 'input' : tag.address?.startsWith('%Q') ? 'output' : 'inside'}
          />
        ) : (
          <Opener name={tag.name} isOpen={isOpen} onToggle={onToggle} />
        )}
      </Cell>
      <Cell>
        <span className="flex items-center gap-1">
          <EditInPlace
            value={tag.name}
            label={`Name of ${tag.name}`}
            className="font-semibold"
            onCommit={(name) => rename(tag, name)}
          />
          {differs && (
            <span
              className="rounded bg-glow px-1 text-[11px] text-copper-ink"
              title={`At the controller: ${differs.before ?? 'is not there'}`}
            >
              {differs.before === undefined ? 'new' : 'differs'}
            </span>
          )}
        </span>
      </Cell>
      <Cell>
        {tag.standsFor ? (
          <span className="block truncate px-1 font-mono text-[12px] text-soft" title={`stands for ${tag.standsFor}`}>
            = {tag.standsFor}
          </span>
        ) : (
          <EditInPlace
            mono
            value={tag.type}
            label={`Type of ${tag.name}`}
            choices={types}
            onCommit={(type) => change({ type })}
          />
        )}
      </Cell>
      <Cell>
        <EditInPlace
          mono
          value={tag.address ?? ''}
          label={`Address of ${tag.name}`}
          onCommit={(text) => putAddress(tag, text)}
        />
      </Cell>
      <Cell>
        {tag.address?.startsWith('%IX') ? (
          <button
            className="rounded px-1 text-left font-mono text-[12px] hover:bg-edge/50"
            aria-label={`Wiring of ${tag.name}: ${tag.wiring ?? 'not stated'}`}
            title={tag.wiring === 'NC' ? 'closed at rest: 1 at rest' : 'open at rest: 0 at rest'}
            onClick={() => change({ wiring: tag.wiring === 'NC' ? 'NO' : 'NC' })}
          >
            {tag.wiring ?? '–'}
          </button>
        ) : null}
      </Cell>
      <Cell>
        <TagNow tag={tag} />
      </Cell>
      <Cell>
        <EditInPlace
          value={tag.description ?? ''}
          label={`Description of ${tag.name}`}
          className="text-soft"
          onCommit={(description) => change({ description: optional(description) })}
        />
      </Cell>
      <span role="cell" className={`text-right ${used ? '' : 'text-faint'}`}>
        {used}
      </span>
    </div>
  );
}

/**
 * The address as typed, or the next free one; what cannot be is said and not stored, since one wrong address stops the
 * whole project.
 */
async function putAddress(tag: Tag, text: string): Promise<string | undefined> {
  const { project, edit } = useDocument.getState();
  if (!project) return undefined;
  const to: Edit = { kind: 'changeTag', id: tag.id, to: { address: null } };
  if (!text) {
    edit(to);
    return undefined;
  }
  const others = project.tags.filter((t) => t.id !== tag.id),
    at = addressFor(text, tag.type, others, project.modules);
  if ('refused' in at) return at.refused;
  const put: Edit = { ...to, to: { address: at.address } };
  const [wrong] = (await askBench('errorsOf', { edit: put, tag: tag.id })) ?? [];
  if (wrong === undefined) {
    edit(put);
    return undefined;
  }
  const free = addressFor(text.replace(/\d.*$/, ''), tag.type, others, project.modules);
  return `${wrong} Nothing was changed.${'address' in free ? ` The next free one is ${free.address}.` : ''}`;
}

/** Everywhere at once: the declaration and every use, undone as one. */
function rename(tag: Tag, to: string): void {
  const { project, edit } = useDocument.getState();
  if (!project || !to || to === tag.name) return;
  if (!/^[A-Za-z_]\w*$/.test(to)) {
    useDocument.setState({ refused: `‘${to}’ is not a name: letters, digits and underscores, a letter first.` });
    return;
  }
  if (project.tags.some((t) => t !== tag && t.name.toLowerCase() === to.toLowerCase())) {
    useDocument.setState({ refused: `There is a tag ‘${to}’ already.` });
    return;
  }
  edit(renameTag(project, compile([{ kind: 'project', name: 'project', project }]), tag, to));
}

function Opener({
  name,
  isOpen,
  onToggle,
}: {
  readonly name: string;
  readonly isOpen: boolean;
  readonly onToggle: () => void;
}) {
  return (
    <button
      aria-expanded={isOpen}
      aria-label={`Members of ${name}`}
      onClick={onToggle}
      className="-ml-2 grid h-7 w-7 place-items-center rounded text-soft hover:bg-edge/40"
    >
      {isOpen ? '▾' : '▸'}
    </button>
  );
}

/** An instance that a rung declares where it stands; it is changed there. */
export function InstanceRow({
  instance: i,
  isOpen,
  onToggle,
}: {
  readonly instance: RungInstance;
  readonly isOpen: boolean;
  readonly onToggle: () => void;
}) {
  const { id } = useParams();
  return (
    <div role="row" aria-label={nameOf(i)} className={`${COLUMNS} h-full border-b border-edge px-3`}>
      <Cell>{i.path !== undefined && <Opener name={i.path} isOpen={isOpen} onToggle={onToggle} />}</Cell>
      <Cell className="truncate px-1 font-semibold">{nameOf(i)}</Cell>
      <Cell className="truncate px-1 font-mono text-[12px]">{i.type}</Cell>
      <Cell />
      <Cell />
      <Cell>
        <InstanceNow instance={i} />
      </Cell>
      <Cell className="truncate px-1">
        <Link
          className="text-soft hover:text-copper-ink hover:underline"
          to={`/projects/${id}/logic?pou=${i.pouId}&rung=${i.rungId}`}
        >
          declared on {i.pou} rung {i.rung}
        </Link>
      </Cell>
      <Cell />
    </div>
  );
}

export function MemberRow({
  row,
  isOpen,
  onToggle,
}: {
  readonly row: Row & { readonly kind: 'member' };
  readonly isOpen: boolean;
  readonly onToggle: () => void;
}) {
  const force = (value: string | undefined) =>
    benchLive.event(value === undefined ? { kind: 'force', path: row.path } : { kind: 'force', path: row.path, value });
  return (
    <div role="row" aria-label={row.path} className={`${COLUMNS} h-full border-b border-edge bg-sunk/40 px-3`}>
      <Cell />
      <span role="cell" className="flex min-w-0 items-center" style={{ paddingLeft: row.depth * 14 }}>
        {row.hasMembers ? <Opener name={row.path} isOpen={isOpen} onToggle={onToggle} /> : <span className="w-5" />}
        <span className="truncate font-mono text-[12px]" title={row.path}>
          {row.name}
        </span>
      </span>
      <Cell className="truncate px-1 font-mono text-[12px] text-soft">{row.type}</Cell>
      <Cell />
      <Cell />
      <Cell>
        <Now path={row.path} type={row.type} label={row.path} />
      </Cell>
      <span role="cell" className="flex gap-1">
        {row.type === 'BOOL' && (
          <>
            <Button look="quiet" tight aria-label={`Force ${row.path} on`} onClick={() => force('1')}>
              Force on
            </Button>
            <Button look="quiet" tight aria-label={`Force ${row.path} off`} onClick={() => force('0')}>
              Off
            </Button>
            <Button look="quiet" tight aria-label={`Release ${row.path}`} onClick={() => force(undefined)}>
              Release
            </Button>
          </>
        )}
      </span>
      <Cell />
    </div>
  );
}

function TagNow({ tag }: { readonly tag: Tag }) {
  const facts = useBench((s) => s.checked?.tags[tag.name.toLowerCase()]);
  const path = /^(TON|TOF|TP)/.test(facts?.block ?? '')
    ? `${tag.name}.ET`
    : /^CT/.test(facts?.block ?? '')
      ? `${tag.name}.CV`
      : tag.name;
  return (
    <Now
      path={path}
      type={path.endsWith('.ET') ? 'TIME' : facts?.type}
      label={tag.name}
      isOutput={!!tag.address?.startsWith('%Q')}
      unit={tag.unit}
      wiring={tag.wiring}
    />
  );
}
