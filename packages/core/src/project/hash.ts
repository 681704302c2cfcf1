import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { type Project, projectText } from './document.js';

/** SHA-256 of the project's text, in hex: what a download is verified by. */
export function projectHash(p: Project): string {
  return bytesToHex(sha256(new TextEncoder().encode(projectText(p))));
}
