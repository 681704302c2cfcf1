/** Files as people give them: bounded, and said when they are not what they should be. */
import { type Folder, type XmlIn, folderToDocument } from '@ferrule/core/files';
import { failureOf } from './outdated.js';

/** What a project file may have; the server takes no more. */
export const MOST_BYTES = 20 * 1024 * 1024;
const MOST_FILES = 5000,
  /** Unpacked, all files together. */ MOST_UNPACKED = 64 * 1024 * 1024;

const megabytes = (bytes: number): string =>
  `${(bytes / 1024 / 1024).toLocaleString('en', { maximumFractionDigits: 1 })} MB`;

/** The text of a file (UTF-8). Throws with a sentence that names it. */
export async function textOf(file: File): Promise<string> {
  if (file.size > MOST_BYTES)
    throw new Error(`${file.name} has ${megabytes(file.size)}; files of up to ${megabytes(MOST_BYTES)} are read.`);
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(await file.arrayBuffer());
  } catch (e) {
    throw new Error(
      e instanceof TypeError
        ? `${file.name} is not UTF-8 text; save it as UTF-8.`
        : `${file.name} cannot be read: ${(e as Error).message}`,
    );
  }
}

/**
 * Of a chosen folder the files that may belong to a project, as the text of a project file. Throws with a sentence that
 * names the file.
 */
export async function chosenFolderText(list: Iterable<File>): Promise<string> {
  const all = [...list].map((f) => ({ f, path: f.webkitRelativePath || f.name })),
    // The top of the project is where its project.json lies, however deep that is.
    root = all
      .map((x) => x.path)
      .filter((p) => /(^|\/)project\.json$/.test(p))
      .sort((a, b) => a.length - b.length)[0]
      ?.replace(/project\.json$/, '');
  if (root === undefined) throw new Error('The folder holds no project.json: it is not a project as a folder of text.');
  const own = all.filter(
    (x) =>
      x.path.startsWith(root) && /\.(csv|st|ld|json|txt)$/.test(x.path) && !/(^|\/)(\.|node_modules\/)/.test(x.path),
  );
  if (own.length > MOST_FILES)
    throw new Error(`The folder holds more than ${MOST_FILES.toLocaleString('en')} files; a project folder has fewer.`);
  if (own.reduce((n, x) => n + x.f.size, 0) > MOST_UNPACKED)
    throw new Error(`The folder holds more than ${megabytes(MOST_UNPACKED)}; a project folder is smaller.`);
  const read = folderToDocument(
    new Map(await Promise.all(own.map(async (x) => [x.path.slice(root.length), await textOf(x.f)] as const))),
  );
  if ('problem' in read) throw new Error(read.problem);
  return JSON.stringify(read.document);
}

/** A folder of text in an archive, as the text of a project file. Throws with a sentence that names the file. */
export async function folderText(file: File): Promise<string> {
  if (file.size > MOST_BYTES)
    throw new Error(`${file.name} has ${megabytes(file.size)}; archives of up to ${megabytes(MOST_BYTES)} are read.`);
  const { unzipSync } = await import('fflate');
  let count = 0,
    total = 0,
    tooMuch: string | undefined;
  let files: Record<string, Uint8Array>;
  try {
    files = unzipSync(new Uint8Array(await file.arrayBuffer()), {
      // What an archive says of its size bounds what is unpacked of it.
      filter: (f) => {
        if (tooMuch) return false;
        count++;
        total += f.originalSize;
        if (count > MOST_FILES)
          tooMuch = `${file.name} holds more than ${MOST_FILES.toLocaleString('en')} files; a project folder has fewer.`;
        if (total > MOST_UNPACKED)
          tooMuch = `${file.name} would unpack to more than ${megabytes(MOST_UNPACKED)}; a project folder is smaller.`;
        return !tooMuch && !f.name.endsWith('/');
      },
    });
  } catch {
    throw new Error(`${file.name} cannot be unpacked: it is not an archive, or cut off.`);
  }
  if (tooMuch) throw new Error(tooMuch);
  const paths = Object.keys(files),
    root = paths.find((p) => /(^|\/)project\.json$/.test(p))?.replace(/project\.json$/, '');
  if (root === undefined) throw new Error(`${file.name} holds no project.json: it is not a project folder.`);
  const decoder = new TextDecoder('utf-8', { fatal: true }),
    folder: Folder = new Map(
      paths
        .filter((p) => p.startsWith(root))
        .map((p) => {
          try {
            return [p.slice(root.length), decoder.decode(files[p])];
          } catch {
            throw new Error(`${file.name}: ${p} is not UTF-8 text.`);
          }
        }),
    ),
    read = folderToDocument(folder);
  if ('problem' in read) throw new Error(read.problem);
  return JSON.stringify(read.document);
}

/**
 * An XML file as a project that is still to be checked, with what did not come in. Throws with a sentence that names
 * the file.
 */
export async function xmlOf(file: File): Promise<XmlIn & { readonly project: NonNullable<XmlIn['project']> }> {
  const text = await textOf(file),
    worker = new Worker(new URL('./xml.worker.ts', import.meta.url), { type: 'module' });
  try {
    const read = await new Promise<XmlIn>((resolve, reject) => {
      worker.onmessage = ({ data }: MessageEvent<XmlIn>) => resolve(data);
      worker.onerror = (e) => reject(new Error(`${file.name} could not be read: ${failureOf(e)}`));
      worker.postMessage({ text, name: file.name.replace(/\.xml$/i, '') });
    });
    if (!read.project) throw new Error(`${file.name}: ${read.problem}`);
    return { ...read, project: read.project };
  } finally {
    worker.terminate();
  }
}
