import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { type Project, projectText } from './document.js';

/**
 * The project as it goes to a controller: without the bench desk (watch lists, keys, kept runs, points of the I/O that
 * were tried), so that ticking a point off makes no other program of it.
 */
export function programOf(p: Project): Project {
  const { bench: _, ...program } = p;
  return program;
}

/** SHA-256 of the text of what goes to a controller, in hex: what a download is verified by. */
export function projectHash(p: Project): string {
  return bytesToHex(sha256(new TextEncoder().encode(projectText(programOf(p)))));
}
