/** Values at the ends of the lines and branches taken, while the bench runs: as decorations of the lines in sight. */
import { StateEffect, StateField } from '@codemirror/state';
import { Decoration, type DecorationSet, EditorView, WidgetType } from '@codemirror/view';
import type { ShownValue } from '@ferrule/core/bench';
import { valueText } from '../../components/values.js';

export interface LiveLine {
  readonly line: number;
  readonly values: readonly {
    readonly name: string;
    readonly value: ShownValue;
    readonly type: string;
    readonly forced: boolean;
    /** The card of the controller that it lies on is pulled. */ readonly isOut: boolean;
  }[];
  readonly taken: boolean;
  /** The checks never take this branch, while that is shown. */ readonly untried?: boolean;
}
export const setLive = StateEffect.define<readonly LiveLine[]>();

class Values extends WidgetType {
  constructor(readonly line: LiveLine) {
    super();
  }
  override eq(other: Values): boolean {
    return JSON.stringify(other.line) === JSON.stringify(this.line);
  }
  override toDOM(): HTMLElement {
    const dom = document.createElement('span');
    dom.className = 'cm-live';
    dom.setAttribute('aria-hidden', 'true');
    if (this.line.untried) {
      const one = document.createElement('span');
      one.textContent = 'never taken by the checks';
      one.className = 'cm-untried';
      dom.append(one);
    }
    for (const v of this.line.values) {
      const one = document.createElement('span');
      one.textContent = `${v.name} ${valueText(v.value, v.type)}${v.isOut ? ' card out' : ''}`;
      if (v.value === true) one.className = 'cm-live-on';
      if (v.forced) one.className = 'cm-live-forced';
      dom.append(one);
    }
    return dom;
  }
  override ignoreEvent(): boolean {
    return true;
  }
}

const taken = Decoration.line({ class: 'cm-taken' });

export const liveField = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(set, tr) {
    let next = set.map(tr.changes);
    for (const e of tr.effects) {
      if (!e.is(setLive)) continue;
      const { doc } = tr.state;
      const list = e.value.filter((l) => l.line <= doc.lines).sort((a, b) => a.line - b.line);
      next = Decoration.set(
        list.flatMap((l) => {
          const at = doc.line(l.line);
          return [
            ...(l.taken ? [taken.range(at.from)] : []),
            ...(l.values.length || l.untried
              ? [Decoration.widget({ widget: new Values(l), side: 1 }).range(at.to)]
              : []),
          ];
        }),
        true,
      );
    }
    return next;
  },
  provide: (f) => EditorView.decorations.from(f),
});

export const liveTheme = EditorView.baseTheme({
  '.cm-live': { marginLeft: '2.5em', fontSize: '11px', color: 'var(--soft)', whiteSpace: 'nowrap' },
  '.cm-live span': { marginRight: '1.2em' },
  '.cm-live-on': { color: 'var(--copper-ink)', fontWeight: '600' },
  '.cm-live-forced': {
    backgroundColor: 'var(--forced)',
    color: 'var(--on-forced)',
    borderRadius: '2px',
    padding: '0 3px',
  },
  '.cm-untried': { border: '1px dashed var(--ink)', borderRadius: '3px', padding: '0 4px', color: 'var(--ink)' },
  '.cm-taken': { boxShadow: 'inset 3px 0 0 var(--copper)' },
});
