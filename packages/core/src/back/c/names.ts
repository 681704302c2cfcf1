/** Names of tags, blocks and variables as names of C: kept as they are wherever C allows it. */
const RESERVED = new Set(
  `auto break case char const continue default do double else enum extern float for goto if inline int long register
   restrict return short signed sizeof static struct switch typedef union unsigned void volatile while
   bool true false main logic machine ferrule fault asm near far interrupt errno stdin stdout stderr NULL EOF INFINITY NAN
   unix linux self days civil base`.split(/\s+/),
);
/** Names that headers of boards and of the C library give a meaning of their own. */
const TAKEN =
  /^(PORT|DDR|PIN)[A-L]?\d?$|^(u?int(_least|_fast)?\d+_t|[A-Z]+\d*_(MAX|MIN)|SIG[A-Z]+|E[A-Z]{3,}|is[a-z]+|to[a-z]+|str[a-z]+|mem[a-z]+)$/;
/** Functions of the runtime: `add_i16`, `text_append`, `get_u8`. */
const OURS =
  /^(text|get|put|bits|nearest|cut|class|ferrule|add|sub|mul|not|div|mod|neg|abs|sqrt|shl|shr|rol|ror|min|max|swap|eq|time|ns|is_bcd|from_bcd|to_bcd)(_|$)/;

/**
 * A name of C that stands for a name of ours; one that is no name there, or has a meaning, gets a `_` or loses what is
 * no letter.
 */
export function cName(name: string): string {
  const plain = name
    .replace(/[^A-Za-z0-9_]+/g, '_')
    .replace(/_+$/, '')
    .replace(/^_+/, '');
  const begun = /^\d/.test(plain) || plain === '' ? `n${plain}` : plain;
  return RESERVED.has(begun) || TAKEN.test(begun) || OURS.test(begun) ? `${begun}_` : begun;
}

/**
 * Gives each thing a name that nothing else in the same space has; case alone makes no difference, as in our language.
 */
export class Names {
  private readonly taken = new Set<string>();
  private readonly given = new Map<unknown, string>();

  constructor(private readonly around?: Names) {}

  of(thing: unknown, name: string): string {
    const known = this.given.get(thing);
    if (known) return known;
    const base = cName(name);
    let unique = base;
    for (let n = 2; this.isTaken(unique); n++) unique = `${base}_${n}`;
    this.taken.add(unique.toLowerCase());
    this.given.set(thing, unique);
    return unique;
  }
  private isTaken(name: string): boolean {
    return this.taken.has(name.toLowerCase()) || (this.around?.isTaken(name) ?? false);
  }
}
