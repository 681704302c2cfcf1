/**
 * Passwords for other programs: sent as they are when joining, so kept as they are, where only this machine's user
 * reads them.
 */
import { readFileSync, renameSync, writeFileSync } from 'node:fs';

export class Secrets {
  private known: Record<string, string> | undefined;
  constructor(private readonly file: string) {}

  get(key: string): string | undefined {
    const all = this.all();
    return Object.hasOwn(all, key) ? all[key] : undefined;
  }
  /** Throws where it cannot be written. */
  set(key: string, password: string): void {
    const all = { ...this.all(), [key]: password };
    writeFileSync(`${this.file}.new`, JSON.stringify(all), { mode: 0o600 });
    renameSync(`${this.file}.new`, this.file);
    this.known = all;
  }
  private all(): Record<string, string> {
    if (this.known) return this.known;
    try {
      this.known = JSON.parse(readFileSync(this.file, 'utf8')) as Record<string, string>;
    } catch {
      this.known = {};
    }
    return this.known;
  }
}
