/**
 * The open project. Every change is an edit: applied at once, sent to the server within a quarter of a second,
 * kept in local storage until the server has it, undone by its inverse. What the server would not take is refused here
 * already, in its words; should it refuse something all the same, that is set aside and told, and all else is saved.
 */
import { type Edit, type Project, applyEdit } from '@ferrule/core/document';
import { documentProblems, readEdits } from '@ferrule/core/schema';
import { create } from 'zustand';
import { ApiProblem, api, messageOf } from '../api.js';
import { findOwnPlace, placeOfUnsent, placesLeft } from './unsent.js';

export type Saving = 'saved' | 'saving' | 'offline' | 'conflict';

interface Pending {
  readonly base: number;
  readonly batch: string;
  readonly edits: readonly Edit[];
}

/** An edit that is part of the page's project but that the server refused, and its words. */
export interface Refusal {
  readonly edit: Edit;
  readonly words: string;
}
/** What is kept in the browser until the server has it. */
interface Kept extends Pending {
  /** So many of the edits are under way as the batch. */
  readonly sent: number;
  readonly aside?: readonly Refusal[];
}

interface DocumentState {
  readonly id: string | undefined;
  readonly revision: number;
  readonly project: Project | undefined;
  readonly saving: Saving;
  /** Batches that the server has taken from this window. */
  readonly saved: number;
  readonly undoStack: readonly Edit[];
  readonly redoStack: readonly Edit[];
  /** Why the last edit was refused, until the next one. */
  readonly refused: string | undefined;
  /** Edits that the server refused; they are on this page only. */
  readonly refusals: readonly Refusal[];
  /** Why nothing can be saved just now, in a sentence. */
  readonly trouble: string | undefined;
  open(id: string): Promise<void>;
  close(): void;
  /** `merges`: edits of one kind of typing, one soon after the other, are undone as one. */
  edit(e: Edit, merges?: string): boolean;
  undo(): void;
  redo(): void;
  /** Resolves when the server has everything. */
  flush(): Promise<void>;
  takeTheirs(): Promise<void>;
  /**
   * Takes what others have saved, where this window holds nothing of its own and, when the answer has come, `mayTake`
   * says so; never rejects.
   */
  follow(mayTake: () => boolean): Promise<void>;
  keepMine(): Promise<void>;
  /** The project without what was refused; all else stays. */
  dropRefused(): Promise<void>;
  /** Sends the project as it is now, with what was refused and has been mended since. */
  sendRefused(): Promise<void>;
}

const SEND_AFTER_MS = 250,
  RETRY_MS = 1500,
  MERGE_MS = 900,
  UNDO_DEPTH = 5000;

let unsent: Edit[] = [];
let sending: Pending | undefined;
let timer: ReturnType<typeof setTimeout> | undefined;
/** The run of typing that is going on. */
let lastMerge: { readonly key: string; readonly at: number } | undefined;
let inFlight: Promise<void> | undefined;
/** So many of the unsent edits go one by one: a batch with them was refused, and only one of them is at fault. */
let oneByOne = 0;
/**
 * Edits that the project under way as a whole (after a refusal) holds; should it be refused too, they go on by
 * themselves.
 */
let held: readonly Edit[] = [];

/** What stands at a place of the browser's storage; undefined where nothing does that can be read. */
function keptAt(place: string): Kept | undefined {
  try {
    return (JSON.parse(localStorage.getItem(place) ?? 'null') as Kept | null) ?? undefined;
  } catch {
    return undefined;
  }
}
/** Whether the server has the batch that was under way: sent again under its name it counts once, or is refused. */
async function isSaved(id: string, { base, batch, edits, sent }: Kept): Promise<boolean> {
  try {
    await api('POST', `/projects/${id}/edits`, { base, batch, edits: edits.slice(0, sent) });
    return true;
  } catch (e) {
    if (e instanceof ApiProblem && (e.code === 'REVISION_CONFLICT' || isRefusal(e))) return false;
    throw e;
  }
}
/** What several windows left, as if one had; it goes on top by itself only where nobody went on since for any of them. */
function together(all: readonly Kept[], revision: number): Kept | undefined {
  if (all.length < 2) return all[0];
  const aside = all.flatMap((k) => k.aside ?? []);
  return {
    base: all.every((k) => k.base === revision) ? revision : -1,
    batch: '',
    edits: all.flatMap((k) => k.edits),
    sent: 0,
    ...(aside.length ? { aside } : {}),
  };
}

const newBatch = () => `${Date.now().toString(36)}-${crypto.getRandomValues(new Uint32Array(1))[0]!.toString(36)}`;

export const useDocument = create<DocumentState>((set, get) => {
  const remember = () => {
    const { id, revision, refusals, saving } = get();
    if (!id) return;
    const all: Kept = {
      // What waits for the word whose goes on top fits no revision: it is asked again after a reload too.
      base: saving === 'conflict' ? -1 : revision,
      batch: sending?.batch ?? '',
      edits: [...(sending?.edits ?? []), ...unsent],
      sent: sending?.edits.length ?? 0,
      ...(refusals.length ? { aside: refusals } : {}),
    };
    try {
      if (all.edits.length || refusals.length) localStorage.setItem(placeOfUnsent(id), JSON.stringify(all));
      else localStorage.removeItem(placeOfUnsent(id));
    } catch {
      /* Full or forbidden storage: the server still gets everything. */
    }
  };

  /** The next batch: all that waits, or one edit where it is not known which of them is at fault. */
  const nextBatch = (): Pending | undefined => {
    if (!unsent.length) return undefined;
    const count = oneByOne > 0 ? 1 : unsent.length;
    const edits = unsent.slice(0, count);
    unsent = unsent.slice(count);
    oneByOne = Math.max(0, oneByOne - count);
    return { base: get().revision, batch: newBatch(), edits };
  };

  /** A batch that the server understood and will not have: the edit at fault is found and set aside. */
  const setAside = (batch: Pending, words: string) => {
    sending = undefined;
    if (isWhole(batch) && get().refusals.length) {
      unsent = [...held, ...unsent];
      held = [];
      set((s) => ({ refusals: s.refusals.map((r) => ({ ...r, words })) }));
    } else if (batch.edits.length > 1) {
      unsent = [...batch.edits, ...unsent];
      oneByOne = batch.edits.length;
    } else set((s) => ({ refusals: [...s.refusals, { edit: batch.edits[0]!, words }] }));
    set({ saving: unsent.length ? 'saving' : 'saved', trouble: undefined });
    remember();
    if (unsent.length) schedule(0);
  };

  const send = async (keepalive = false): Promise<void> => {
    const { id } = get();
    if (!id || get().saving === 'conflict') return;
    sending ??= nextBatch();
    if (!sending) {
      set({ saving: 'saved' });
      return;
    }
    const batch = sending;
    remember();
    set({ saving: 'saving' });
    try {
      const answer = await api<{ revision: number }>(
        'POST',
        `/projects/${id}/edits`,
        { base: batch.base, batch: batch.batch, edits: batch.edits },
        { keepalive },
      );
      if (get().id !== id) return;
      sending = undefined;
      set({
        revision: answer.revision,
        saved: get().saved + 1,
        saving: unsent.length ? 'saving' : 'saved',
        trouble: undefined,
        ...(isWhole(batch) ? { refusals: [] } : {}),
      });
      if (isWhole(batch)) held = [];
      remember();
      if (unsent.length) schedule(0);
    } catch (e) {
      if (get().id !== id) return;
      if (e instanceof ApiProblem && e.code === 'REVISION_CONFLICT') {
        set({ saving: 'conflict' });
        remember();
        return;
      }
      if (e instanceof ApiProblem && isRefusal(e)) {
        setAside(batch, e.message);
        return;
      }
      set({ saving: 'offline', trouble: messageOf(e) });
      schedule(RETRY_MS);
    }
  };
  const schedule = (ms: number) => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      inFlight = (inFlight ?? Promise.resolve()).then(() => send());
    }, ms);
  };

  const change = (e: Edit): Edit | undefined => {
    const { project } = get();
    if (!project) return undefined;
    const refuse = (refused: string) => {
      set({ refused });
      return undefined;
    };
    const read = readEdits([e], 'change');
    if ('problem' in read)
      return refuse(`That was not taken: ${read.problem.field.replace(/^change\.0\./, '')} ${read.problem.message}.`);
    const r = applyEdit(project, e);
    if ('refused' in r) return refuse(r.refused);
    const broken = documentProblems(r.project, project)[0];
    if (broken) return refuse(`That was not taken, it would leave a broken project: ${broken}`);
    unsent.push(e);
    set({ project: r.project, refused: undefined, saving: get().saving === 'conflict' ? 'conflict' : 'saving' });
    remember();
    schedule(SEND_AFTER_MS);
    return r.inverse;
  };

  const load = async (
    id: string,
    edits: readonly Edit[],
    { batch, aside = [], hasUndo = false }: { batch?: Kept; aside?: readonly Refusal[]; hasUndo?: boolean } = {},
  ) => {
    const before = unsent.length,
      isOpen = get().id === id;
    const { revision, document } = await api<{ revision: number; document: Project }>('GET', `/projects/${id}`);
    // What was typed while the server was asked stays on top.
    const since = isOpen ? unsent.slice(before) : [];
    unsent = [];
    sending = undefined;
    oneByOne = 0;
    held = [];
    let project = document;
    const refusals = aside.filter(({ edit }) => {
      const r = applyEdit(project, edit);
      if ('refused' in r) return false;
      project = r.project;
      return true;
    });
    set({
      id,
      revision,
      project,
      refusals,
      saving: 'saved',
      ...(hasUndo ? {} : { undoStack: [], redoStack: [] }),
      refused: undefined,
      trouble: undefined,
    });
    for (const e of [...edits, ...since]) change(e);
    // The batch may have arrived although its answer got lost: sent under its old name it counts once.
    if (batch?.batch && batch.base === revision) {
      sending = { base: batch.base, batch: batch.batch, edits: edits.slice(0, batch.sent) };
      unsent = unsent.slice(sending.edits.length);
    }
    remember();
  };

  return {
    id: undefined,
    revision: 0,
    project: undefined,
    saving: 'saved',
    saved: 0,
    undoStack: [],
    redoStack: [],
    refused: undefined,
    refusals: [],
    trouble: undefined,
    async open(id) {
      await findOwnPlace();
      const left = await placesLeft(id);
      const now = await api<{ revision: number }>('GET', `/projects/${id}`);
      const kept = together(
        [placeOfUnsent(id), ...left].flatMap((place) => keptAt(place) ?? []),
        now.revision,
      );
      if (!kept) {
        await load(id, []);
        return;
      }
      if (kept.base === now.revision)
        await load(id, kept.edits, { batch: kept, ...(kept.aside ? { aside: kept.aside } : {}) });
      // One further: by the batch under way, where the server knows it, and what came after it is not saved yet.
      else if (kept.base + 1 === now.revision && kept.sent && (await isSaved(id, kept)))
        await load(id, kept.edits.slice(kept.sent), kept.aside ? { aside: kept.aside } : {});
      else {
        // Somebody went on with the project since: what is kept here waits for the word whose goes on top.
        await load(id, [], kept.aside ? { aside: kept.aside } : {});
        unsent = [...kept.edits];
        if (unsent.length) set({ saving: 'conflict' });
        remember();
      }
      // It is this window's now, where there was room for it.
      if (keptAt(placeOfUnsent(id))) for (const place of left) localStorage.removeItem(place);
    },
    close() {
      void send();
      set({ id: undefined, project: undefined });
    },
    edit(e, merges) {
      const inverse = change(e);
      if (!inverse) return false;
      const now = Date.now();
      // The first inverse of a run of typing takes all of it back.
      const goesOn =
        merges !== undefined &&
        lastMerge?.key === merges &&
        now - lastMerge.at < MERGE_MS &&
        get().undoStack.length > 0;
      lastMerge = merges === undefined ? undefined : { key: merges, at: now };
      set((s) => ({ undoStack: goesOn ? s.undoStack : [...s.undoStack.slice(-UNDO_DEPTH), inverse], redoStack: [] }));
      return true;
    },
    undo() {
      lastMerge = undefined;
      const e = get().undoStack.at(-1);
      if (!e) return;
      const inverse = change(e);
      // What cannot be taken back any more is told, and does not stand in the way of what lies below it.
      set((s) => ({
        undoStack: s.undoStack.slice(0, -1),
        redoStack: inverse ? [...s.redoStack, inverse] : s.redoStack,
      }));
    },
    redo() {
      const e = get().redoStack.at(-1);
      if (!e) return;
      const inverse = change(e);
      set((s) => ({
        redoStack: s.redoStack.slice(0, -1),
        undoStack: inverse ? [...s.undoStack, inverse] : s.undoStack,
      }));
    },
    async flush() {
      clearTimeout(timer);
      await inFlight;
      while ((unsent.length || sending) && get().saving !== 'conflict') {
        await send();
        if (get().saving === 'offline')
          throw new ApiProblem('SERVER_UNREACHABLE', `The last changes could not be saved. ${get().trouble ?? ''}`, 0);
      }
      const first = get().refusals[0];
      if (first)
        throw new ApiProblem(
          'EDIT_REFUSED',
          `A change was refused and is not saved (${first.words}); take it back or mend it first.`,
          0,
        );
    },
    async takeTheirs() {
      const { id } = get();
      if (!id) return;
      localStorage.removeItem(placeOfUnsent(id));
      await load(id, []);
    },
    async follow(mayTake) {
      const { id, revision: from } = get();
      const isClean = () =>
        get().id === id &&
        get().revision === from &&
        get().saving === 'saved' &&
        !unsent.length &&
        !sending &&
        !get().refusals.length;
      if (!id || !isClean()) return;
      try {
        const { revision, document } = await api<{ revision: number; document: Project }>('GET', `/projects/${id}`);
        // What was done here before stays to be taken back.
        if (isClean() && revision > from && mayTake()) set({ revision, project: document, refused: undefined });
      } catch {
        // It is asked again; an edit says what is wrong.
      }
    },
    async keepMine() {
      const { id } = get();
      if (id) await load(id, [...(sending?.edits ?? []), ...unsent], { aside: get().refusals, hasUndo: true });
    },
    async dropRefused() {
      await inFlight;
      const { id } = get();
      if (id) await load(id, [...(sending?.edits ?? []), ...unsent]);
    },
    async sendRefused() {
      clearTimeout(timer);
      await inFlight;
      const { project, refusals, saving } = get();
      if (!project || !refusals.length || sending || saving === 'conflict') return;
      held = unsent;
      unsent = [];
      sending = { base: get().revision, batch: newBatch(), edits: [{ kind: 'replace', project }] };
      inFlight = send();
      await inFlight;
    },
  };
});

/** Leaving the page sends what is left; local storage has it in any case. */
if (typeof window !== 'undefined')
  window.addEventListener('pagehide', () => {
    void useDocument
      .getState()
      .flush()
      .catch(() => undefined);
  });

/** A batch that puts a whole project in place of what the server has: what was refused before is in it. */
const isWhole = (batch: Pending): boolean => batch.edits.length === 1 && batch.edits[0]!.kind === 'replace';
/** The server understood and said no: to send the same again is no use. */
const isRefusal = (e: ApiProblem): boolean =>
  e.code === 'EDIT_REFUSED' || e.status === 400 || e.status === 413 || e.status === 422;

let counter = 0;
/** A new id: short, and different in two windows. */
export const newId = (prefix: string): string =>
  `${prefix}${Date.now().toString(36)}${(counter++).toString(36)}${(crypto.getRandomValues(new Uint8Array(1))[0]! % 36).toString(36)}`;
