// The packages that Ferrule is made with, as installed, each with its licence: listed in the app under About.
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Longest licence text that is shown, in characters. */
const LONGEST = 20_000;

/** `{ name, version, licence, text? }` of every package that is not only for development, by name; the lock file says which there are. */
export function licences(root = join(dirname(fileURLToPath(import.meta.url)), '..')) {
  const { packages } = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8'));
  const found = new Map();
  for (const [path, entry] of Object.entries(packages)) {
    if (!path.includes('node_modules/') || entry.link || entry.dev || entry.devOptional) continue;
    const name = path.slice(path.lastIndexOf('node_modules/') + 'node_modules/'.length),
      folder = join(root, path),
      files = existsSync(folder) ? readdirSync(folder) : [],
      file = files.find((f) => /^(licen[cs]e|copying)(\.|-|$)/i.test(f)),
      text = file ? readFileSync(join(folder, file), 'utf8').slice(0, LONGEST) : undefined;
    found.set(`${name} ${entry.version}`, {
      name,
      version: entry.version,
      licence: entry.license ?? (text ? text.trim().split('\n')[0].trim() : 'not stated in the package'),
      ...(text ? { text } : {}),
    });
  }
  return [...found.values()].sort((a, b) => a.name.localeCompare(b.name) || a.version.localeCompare(b.version));
}
