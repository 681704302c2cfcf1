/** What the text editor adds to its library: completion, parameters of the call at hand, what a name is. */
import { type CompletionContext } from '@codemirror/autocomplete';
import { StateField, StateEffect } from '@codemirror/state';
import { type Tooltip, hoverTooltip, showTooltip } from '@codemirror/view';
import type { Signature } from '@ferrule/core/workspace';
import { askBench, benchLive, benchStore } from '../../bench/live.js';
import { valueText } from '../../components/values.js';
import { KEYWORDS, SNIPPETS } from '../../components/text-language.js';

export const setSignature = StateEffect.define<{ readonly pos: number; readonly signature: Signature } | undefined>();

/** Completion asks the bench, which knows types and scopes. */
export const completeWith = (pou: () => string) => async (context: CompletionContext) => {
  const word = context.matchBefore(/\w+/);
  const line = context.state.doc.lineAt(context.pos);
  const before = context.state.sliceDoc(Math.max(0, line.from - 400), context.pos);
  if (!word && !context.explicit && !/[.(#]\s*$|[:]=?\s$/.test(before)) return null;
  const found = await askBench('complete', { pou: pou(), before });
  const isMember = /\.\w*$/.test(before) || /#\w*$/.test(before),
    // Where a type stands, nothing else can.
    isType = found?.length ? found.every((c) => c.kind === 'type' || c.kind === 'block') : false;
  const type = {
    variable: 'variable',
    member: 'property',
    function: 'function',
    block: 'class',
    type: 'type',
    keyword: 'keyword',
    value: 'enum',
    pin: 'property',
    snippet: 'keyword',
  } as const;
  const rank = {
    pin: 5,
    value: 4,
    member: 3,
    variable: 2,
    function: 0,
    block: 1,
    type: 1,
    keyword: 0,
    snippet: 0,
  } as const;
  return {
    from: word?.from ?? context.pos,
    validFor: /^\w*$/,
    options: [
      ...(found ?? []).map((c, i) => ({
        label: c.label,
        type: type[c.kind],
        // In the order in which they come where all are of a kind: own ones first.
        boost: isType ? Math.max(-90, 90 - i) : rank[c.kind],
        ...(c.detail ? { detail: c.detail } : {}),
        ...(c.info ? { info: c.info } : {}),
        ...(c.insert ? { apply: c.insert } : {}),
      })),
      ...(isMember || isType
        ? []
        : [...SNIPPETS, ...[...KEYWORDS].map((k) => ({ label: k, type: 'keyword', boost: -2 }))]),
    ],
  };
};

export const signatureField = StateField.define<Tooltip | null>({
  create: () => null,
  update(tip, tr) {
    for (const e of tr.effects)
      if (e.is(setSignature))
        return e.value
          ? { pos: e.value.pos, above: true, create: () => ({ dom: signatureDom(e.value!.signature) }) }
          : null;
    return tr.docChanged && tip ? { ...tip, pos: tr.changes.mapPos(tip.pos) } : tip;
  },
  provide: (f) => showTooltip.from(f),
});

function signatureDom(s: Signature): HTMLElement {
  const dom = document.createElement('div');
  dom.className = 'cm-signature';
  dom.append(`${s.name}(`);
  s.pins.forEach((p, i) => {
    const e = document.createElement(i === s.active ? 'b' : 'span');
    e.textContent = `${i ? ', ' : ''}${p.name} ${p.isOutput ? '=>' : ':='} ${p.type}`;
    dom.append(e);
  });
  dom.append(')');
  return dom;
}

export const hoverOf = (id: string) =>
  hoverTooltip(
    async (_, pos) => {
      const fact = await askBench('hover', { place: { kind: 'pou', id }, offset: pos });
      if (!fact) return null;
      return {
        pos: fact.start,
        end: fact.end,
        above: true,
        create: () => {
          const dom = document.createElement('div');
          dom.className = 'cm-fact';
          const head = document.createElement('div');
          head.textContent = `${fact.name} : ${fact.type}`;
          const about = document.createElement('div');
          about.textContent = [fact.section, fact.address, fact.description].filter(Boolean).join(' · ');
          const value = document.createElement('div');
          value.className = 'cm-fact-value';
          dom.append(head, about, value);
          if (!fact.path) return { dom };
          const stop = benchLive.look([fact.path], []);
          const show = () => {
            const v = benchStore.getState().frame?.values[fact.path!];
            value.textContent = v === undefined ? '' : `now ${valueText(v, fact.type)}`;
          };
          const off = benchStore.subscribe(show);
          show();
          return {
            dom,
            destroy: () => {
              stop();
              off();
            },
          };
        },
      };
    },
    { hoverTime: 300 },
  );
