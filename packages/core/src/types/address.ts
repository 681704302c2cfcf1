/** Addresses as text (6.5.5). */
import type { ElementaryName } from './type.js';

/** `%QX0.3` in parts; bytes count whatever the width (architecture.md 11). */
export function parseAddress(
  text: string,
): { area: 'I' | 'Q' | 'M'; width: ElementaryName; byte: number; bit?: number; size: number } | undefined {
  const m = /^%([IQM])([XBWDL]?)(\d+)(?:\.(\d+))?$/i.exec(text);
  if (!m) return undefined;
  const area = m[1]!.toUpperCase() as 'I';
  const letter = (m[2] || 'X').toUpperCase();
  const byte = Number(m[3]);
  if (letter === 'X') {
    const bit = m[4] === undefined ? 0 : Number(m[4]);
    return bit > 7 || byte > 65535 ? undefined : { area, width: 'BOOL', byte, bit, size: 1 };
  }
  if (m[4] !== undefined || byte > 65535) return undefined;
  const width = ({ B: 'BYTE', W: 'WORD', D: 'DWORD', L: 'LWORD' } as const)[letter as 'B'];
  return { area, width, byte, size: { BYTE: 1, WORD: 2, DWORD: 4, LWORD: 8 }[width] };
}
