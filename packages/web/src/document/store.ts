/**
 * The open project. Every change is an edit: applied at once, sent to the server within a quarter of a second,
 * kept in local storage until the server has it, undone by its inverse.
 */
import { type Edit, type Project, applyEdit } from '@ferrule/core';
import { create } from 'zustand';
import { ApiProblem, api } from '../api.js';

export type Saving = 'saved' | 'saving' | 'offline' | 'conflict';

interface Pending {
  readonly base: number;
  readonly batch: string;
  readonly edits: readonly Edit[];
}

interface DocumentState {
  readonly id: string | undefined;
  readonly revision: number;
  readonly project: Project | undefined;
  readonly saving: Saving;
  readonly undoStack: readonly Edit[];
  readonly redoStack: readonly Edit[];
  /** Why the last edit was refused, until the next one. */
  readonly refused: string | undefined;
  open(id: string): Promise<void>;
  close(): void;
  /** `merges`: edits of one kind of typing, one soon after the other, are undone as one. */
  edit(e: Edit, merges?: string): boolean;
  undo(): void;
  redo(): void;
  /** Resolves when the server has everything. */
  flush(): Promise<void>;
  takeTheirs(): Promise<void>;
  keepMine(): Promise<void>;
}

const SEND_AFTER_MS = 250,
  RETRY_MS = 1500,
  MERGE_MS = 900,
  UNDO_DEPTH = 5000;
const storageKey = (id: string) => `ferrule.unsent.${id}`;

let unsent: Edit[] = [];
let sending: Pending | undefined;
let timer: ReturnType<typeof setTimeout> | undefined;
/** The run of typing that is going on. */
let lastMerge: { readonly key: string; readonly at: number } | undefined;
let inFlight: Promise<void> | undefined;

const newBatch = () => `${Date.now().toString(36)}-${crypto.getRandomValues(new Uint32Array(1))[0]!.toString(36)}`;

export const useDocument = create<DocumentState>((set, get) => {
  const remember = () => {
    const { id, revision } = get();
    if (!id) return;
    const all: Pending = { base: revision, batch: sending?.batch ?? '', edits: [...(sending?.edits ?? []), ...unsent] };
    try {
      if (all.edits.length)
        localStorage.setItem(storageKey(id), JSON.stringify({ ...all, sent: sending?.edits.length ?? 0 }));
      else localStorage.removeItem(storageKey(id));
    } catch {
      /* Full or forbidden storage: the server still gets everything. */
    }
  };

  const send = async (keepalive = false): Promise<void> => {
    const { id, revision } = get();
    if (!id || get().saving === 'conflict') return;
    sending ??= unsent.length ? { base: revision, batch: newBatch(), edits: unsent } : undefined;
    if (!sending) {
      set({ saving: 'saved' });
      return;
    }
    if (sending.edits === unsent) unsent = [];
    remember();
    set({ saving: 'saving' });
    try {
      const answer = await api<{ revision: number }>(
        'POST',
        `/projects/${id}/edits`,
        { base: sending.base, batch: sending.batch, edits: sending.edits },
        { keepalive },
      );
      if (get().id !== id) return;
      sending = undefined;
      set({ revision: answer.revision, saving: unsent.length ? 'saving' : 'saved' });
      remember();
      if (unsent.length) schedule(0);
    } catch (e) {
      if (e instanceof ApiProblem && e.status === 409) {
        set({ saving: 'conflict' });
        return;
      }
      set({ saving: 'offline' });
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
    const r = applyEdit(project, e);
    if ('refused' in r) {
      set({ refused: r.refused });
      return undefined;
    }
    unsent.push(e);
    set({ project: r.project, refused: undefined, saving: get().saving === 'conflict' ? 'conflict' : 'saving' });
    remember();
    schedule(SEND_AFTER_MS);
    return r.inverse;
  };

  const load = async (id: string, edits: readonly Edit[], batch?: Pending) => {
    const { revision, document } = await api<{ revision: number; document: Project }>('GET', `/projects/${id}`);
    unsent = [];
    sending = undefined;
    set({ id, revision, project: document, saving: 'saved', undoStack: [], redoStack: [], refused: undefined });
    if (batch && batch.base === revision) {
      for (const e of edits) change(e);
      // The batch may have arrived although its answer got lost: sent under its old name it counts once.
      if (batch.batch) {
        sending = {
          base: batch.base,
          batch: batch.batch,
          edits: edits.slice(0, (batch as Pending & { sent: number }).sent),
        };
        unsent = unsent.slice(sending.edits.length);
      }
    } else for (const e of edits) change(e);
  };

  return {
    id: undefined,
    revision: 0,
    project: undefined,
    saving: 'saved',
    undoStack: [],
    redoStack: [],
    refused: undefined,
    async open(id) {
      let kept: (Pending & { sent: number }) | undefined;
      try {
        kept = JSON.parse(localStorage.getItem(storageKey(id)) ?? 'null') ?? undefined;
      } catch {
        kept = undefined;
      }
      const now = await api<{ revision: number }>('GET', `/projects/${id}`);
      if (!kept) {
        await load(id, []);
        return;
      }
      if (kept.base === now.revision) await load(id, kept.edits, kept);
      // One further: the batch under way was saved, what came after it was not.
      else if (kept.base + 1 === now.revision && kept.sent) await load(id, kept.edits.slice(kept.sent));
      else {
        localStorage.removeItem(storageKey(id));
        await load(id, []);
      }
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
      const inverse = e && change(e);
      if (e && inverse) set((s) => ({ undoStack: s.undoStack.slice(0, -1), redoStack: [...s.redoStack, inverse] }));
    },
    redo() {
      const e = get().redoStack.at(-1);
      const inverse = e && change(e);
      if (e && inverse) set((s) => ({ redoStack: s.redoStack.slice(0, -1), undoStack: [...s.undoStack, inverse] }));
    },
    async flush() {
      clearTimeout(timer);
      await inFlight;
      while ((unsent.length || sending) && get().saving !== 'conflict') {
        await send();
        if (get().saving === 'offline')
          throw new ApiProblem(
            'SERVER_UNREACHABLE',
            'The last changes could not be saved: the server does not answer.',
            0,
          );
      }
    },
    async takeTheirs() {
      const { id } = get();
      if (!id) return;
      localStorage.removeItem(storageKey(id));
      await load(id, []);
    },
    async keepMine() {
      const { id } = get();
      if (id) await load(id, [...(sending?.edits ?? []), ...unsent]);
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

let counter = 0;
/** A new id: short, and different in two windows. */
export const newId = (prefix: string): string =>
  `${prefix}${Date.now().toString(36)}${(counter++).toString(36)}${(crypto.getRandomValues(new Uint8Array(1))[0]! % 36).toString(36)}`;
