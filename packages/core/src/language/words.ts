/** `1 scan`, `2,400 scans`: a number with what it counts. */
export const many = (n: number, one: string): string => `${n.toLocaleString('en')} ${one}${n === 1 ? '' : 's'}`;

/** Whether two names are the same: upper and lower case are not told apart (6.1.2). */
export const sameName = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();
