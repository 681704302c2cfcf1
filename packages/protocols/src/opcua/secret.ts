/** Passwords as they are kept: salted and hashed, so that a file that gets lost gives none away. */
import { randomBytes, scryptSync, timingSafeEqual } from 'node:crypto';

const BYTES = 32;

export function hashed(password: string): string {
  const salt = randomBytes(16);
  return `${salt.toString('hex')}:${scryptSync(password, salt, BYTES).toString('hex')}`;
}

export function isPassword(password: string, secret: string): boolean {
  const [salt = '', hash = ''] = secret.split(':'),
    wanted = Buffer.from(hash, 'hex');
  return wanted.length === BYTES && timingSafeEqual(scryptSync(password, Buffer.from(salt, 'hex'), BYTES), wanted);
}
