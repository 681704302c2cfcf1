/** Dates and times of day: literals (table 9) and their text in ISO 8601 without zone (cli.md). All in nanoseconds. */
const DAY = 86_400_000_000_000n;
/** The whole days that 64 bits of nanoseconds around 1970 hold. */
const FIRST_DAY = '1677-09-22',
  LAST_DAY = '2262-04-11';

/**
 * `2026-01-31`, `12:30:15.5` or both joined by `-`, as `type` (DATE, TOD, DT and their long forms) wants; a string says
 * what is wrong.
 */
export function parseDate(type: string, text: string): bigint | string {
  const base = type.replace(/^L/, '');
  const date = String.raw`(\d{4})-(\d{1,2})-(\d{1,2})`,
    time = String.raw`(\d{1,2}):(\d{1,2})(?::(\d{1,2})(?:\.(\d{1,9}))?)?`;
  const m = new RegExp(`^${base === 'DATE' ? date : base === 'TOD' ? time : `${date}[-T]${time}`}$`).exec(text);
  if (!m)
    return `'${text}' is not a ${type}; write for example ${base === 'DATE' ? '2026-01-31' : base === 'TOD' ? '12:30:15' : '2026-01-31-12:30:15'}.`;
  const numbers = m.slice(1);
  let ns = 0n;
  if (base !== 'TOD') {
    const [y, month, day] = numbers.splice(0, 3).map(Number) as [number, number, number];
    const at = new Date(Date.UTC(y, month - 1, day));
    // Years below 100 are not those of the last century.
    at.setUTCFullYear(y);
    if (at.getUTCMonth() !== month - 1 || at.getUTCDate() !== day)
      return `There is no ${text.slice(0, 10)} in the calendar.`;
    ns = BigInt(at.getTime()) * 1_000_000n;
  }
  if (base !== 'DATE') {
    const [h, min, s] = [Number(numbers[0]), Number(numbers[1]), Number(numbers[2] ?? 0)];
    if (h > 23 || min > 59 || s > 59) return `'${text}' is not a time of day.`;
    ns +=
      (BigInt(h) * 3600n + BigInt(min) * 60n + BigInt(s)) * 1_000_000_000n + BigInt((numbers[3] ?? '').padEnd(9, '0'));
  }
  // 64 bits of nanoseconds (choices.md): what lies outside would become another date.
  if (ns !== BigInt.asIntN(64, ns)) return `${text} is out of range: dates go from ${FIRST_DAY} to ${LAST_DAY}.`;
  return ns;
}

/** The value in ISO 8601, with as many fraction digits as needed. */
export function dateText(type: string, ns: bigint): string {
  const base = type.replace(/^L/, '');
  const day = ns >= 0n ? ns / DAY : (ns - DAY + 1n) / DAY;
  const inDay = ns - day * DAY;
  const date = new Date(Number(day) * 86_400_000).toISOString().slice(0, 10);
  const two = (n: bigint) => String(n).padStart(2, '0');
  const fraction = String(inDay % 1_000_000_000n)
    .padStart(9, '0')
    .replace(/0+$/, '');
  const seconds = inDay / 1_000_000_000n;
  const time = `${two(seconds / 3600n)}:${two((seconds / 60n) % 60n)}:${two(seconds % 60n)}${fraction ? `.${fraction}` : ''}`;
  return base === 'DATE' ? date : base === 'TOD' ? time : `${date}T${time}`;
}
