import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { type Project, projectText } from './document.js';

/**
 * SHA-256 of the project's text, in hex: what a download is verified by. Without the bench desk (watch lists, keys, kept
 * runs, points of the I/O that were tried): ticking a point off at a controller makes no other program of it.
 */
export function projectHash(p: Project): string {
  const { bench: _, ...program } = p;
  return bytesToHex(sha256(new TextEncoder().encode(projectText(program as Project))));
}
