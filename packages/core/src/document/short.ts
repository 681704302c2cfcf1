/** Ids and names of at most a given length, from longer ones. */

/** Ids in a document are no longer than this (`schema`). */
export const LONGEST_ID = 60;

/**
 * A text as it is, or its beginning and a number that the whole of it gives: the same for the same text, and different
 * for texts that differ, as far as 53 bits tell them apart.
 */
export function shortened(text: string, longest: number, joint = '-'): string {
  if (text.length <= longest) return text;
  const tail = `${joint}${digest(text).toString(36)}`;
  return text.slice(0, longest - tail.length) + tail;
}

/** 53 bits of a text, by two multiplications that run beside each other and are mixed at the end. */
function digest(text: string): number {
  let a = 0xdeadbeef,
    b = 0x41c6ce57;
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i);
    a = Math.imul(a ^ c, 2654435761);
    b = Math.imul(b ^ c, 1597334677);
  }
  a = Math.imul(a ^ (a >>> 16), 2246822507) ^ Math.imul(b ^ (b >>> 13), 3266489909);
  b = Math.imul(b ^ (b >>> 16), 2246822507) ^ Math.imul(a ^ (a >>> 13), 3266489909);
  return 2 ** 32 * (b & 0x1fffff) + (a >>> 0);
}
