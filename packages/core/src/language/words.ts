/** `1 scan`, `2,400 scans`: a number with what it counts. */
export const many = (n: number, one: string): string => `${n.toLocaleString('en')} ${one}${n === 1 ? '' : 's'}`;

/** Names in the order of their letters, case after that; the same on every machine, whatever its language. */
export function byName(a: string, b: string): number {
  const [x, y] = [a.toLowerCase(), b.toLowerCase()];
  return x < y ? -1 : x > y ? 1 : a < b ? -1 : a > b ? 1 : 0;
}
/** Whether two names are the same: upper and lower case are not told apart (6.1.2). */
export const sameName = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();
