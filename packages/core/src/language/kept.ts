/** Results of reading a text, kept by its place until the text there changes; problems found then are found again. */
import { type Diagnostic, Problems } from './diagnostic.js';

interface Entry {
  readonly text: string;
  readonly owner: string;
  readonly value: unknown;
  readonly found: readonly Diagnostic[];
  turn: number;
}

export class Kept {
  private readonly groups = new Map<string, Map<string, Entry>>();
  private turns = 0;

  /** What is kept together: the rungs of one program, all tags. Ids are each its own within a group. */
  group(name: string): KeptGroup {
    let entries = this.groups.get(name);
    if (!entries) this.groups.set(name, (entries = new Map()));
    return new KeptGroup(entries, this.turns);
  }

  /** Now and then what was not asked for any more is forgotten. */
  turn(): void {
    if (++this.turns % 50) return;
    for (const entries of this.groups.values())
      for (const [id, e] of entries) if (e.turn < this.turns - 50) entries.delete(id);
  }
}

export class KeptGroup {
  constructor(
    private readonly entries: Map<string, Entry>,
    private readonly turn: number,
  ) {}

  /** What `make` gives for this text; made anew only when the text, or the `owner` it is read for, is another one. */
  get<T>(id: string, text: string, owner: string, problems: Problems, make: (problems: Problems) => T): T {
    let entry = this.entries.get(id);
    if (entry?.text !== text || entry.owner !== owner) {
      const own = new Problems();
      entry = { text, owner, value: make(own), found: own.list, turn: this.turn };
      this.entries.set(id, entry);
    }
    entry.turn = this.turn;
    for (const d of entry.found) problems.add(d);
    return entry.value as T;
  }
}
