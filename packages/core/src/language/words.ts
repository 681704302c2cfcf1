/** `1 scan`, `2,400 scans`: a number with what it counts. */
export const many = (n: number, one: string): string => `${n.toLocaleString('en')} ${one}${n === 1 ? '' : 's'}`;
