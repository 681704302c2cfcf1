/** Names for what is made by a button: one that nothing in the list has, capitals or not. */

/** `New check`, then `New check 2` and so on. */
export function freeName(name: string, taken: readonly string[]): string {
  const has = new Set(taken.map((t) => t.toLowerCase()));
  if (!has.has(name.toLowerCase())) return name;
  for (let n = 2; ; n++) if (!has.has(`${name} ${n}`.toLowerCase())) return `${name} ${n}`;
}

/** `Task1`, `Task2`: numbered on from how many there are, past those that are taken. */
export function numberedName(prefix: string, taken: readonly string[]): string {
  const has = new Set(taken.map((t) => t.toLowerCase()));
  for (let n = taken.length + 1; ; n++) if (!has.has(`${prefix}${n}`.toLowerCase())) return `${prefix}${n}`;
}
