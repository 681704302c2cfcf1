/** `ferrule convert FILE… OUT`: from any form that is read to any that is written, by the ending of OUT. */
import { type Project, applyEdit, projectText } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import { projectFromText, projectToText, projectToXml, readText } from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';
import { basename } from 'node:path';
import { writeFileSync } from 'node:fs';
import type { Console } from './console.js';
import { UsageError, parseOptions, willWrite } from './files.js';
import { readInputs } from './inputs.js';
import { writeProject } from './projects.js';

export async function convert(args: readonly string[], io: Console): Promise<number> {
  const { files } = parseOptions(args, [], []),
    out = files.at(-1)!,
    from = files.slice(0, -1);
  if (!from.length) throw new UsageError('convert takes what is read and, last, what is written.');
  const isFolder = out.endsWith('/');
  if (!isFolder && !/\.(st|xml|ferrule\.json)$/.test(out))
    throw new UsageError(
      `${out}: nothing is written in that form; end it with .st, .xml, .ferrule.json or / (a folder of text).`,
    );
  if (!isFolder) willWrite('out', out);
  const left: string[] = [];
  const project = await joined(from, left);
  const write = (text: string) => writeFileSync(out, text);
  try {
    if (isFolder || out.endsWith('.ferrule.json')) {
      if (isFolder) writeProject(out, project);
      else write(projectText(project));
    } else {
      const compiled = compile([{ kind: 'project', name: out, project }]),
        made = out.endsWith('.xml') ? projectToXml(project, compiled) : projectToText(project, compiled);
      left.push(...made.left);
      write(made.text);
    }
  } catch (e) {
    const { code } = e as NodeJS.ErrnoException;
    if (code === undefined) throw e;
    throw new UsageError(`${out}: it cannot be written (${code}).`);
  }
  for (const l of left) io.error(`${l}\n`);
  return left.length ? 1 : 0;
}

/** Several files as one project: one that is a project, and texts taken into it. */
async function joined(names: readonly string[], left: string[]): Promise<Project> {
  const inputs = await readInputs(names, (line) => left.push(line)),
    projects = inputs.filter((f) => f.kind === 'project');
  if (projects.length > 1) throw new UsageError('convert makes one project: name one project, and texts beside it.');
  let n = 0;
  const newId = (prefix: string) => `${prefix}${++n}x`;
  let project = projects[0]?.project;
  for (const f of inputs) {
    if (f.kind !== 'text') continue;
    if (!project) {
      const texts = inputs.flatMap((x) => (x.kind === 'text' ? [x.text] : [])).join('\n'),
        made = projectFromText(texts, basename(f.name).replace(/\.\w+$/, ''), newId);
      left.push(...made.left);
      if (!made.project) throw new UsageError(`${f.name}: ${left.join(' ')}`);
      project = made.project;
      break;
    }
    const read = readText(f.text, project, newId),
      done = read.edit && applyEdit(project, read.edit);
    left.push(...read.left.map((l) => `${f.name}: ${l}`));
    if (done && 'project' in done) project = done.project;
  }
  const checked = parseProject(JSON.stringify(project));
  if ('problems' in checked) throw new UsageError(checked.problems.map((p) => `${names[0]!}: ${p}`).join('\n'));
  return checked.project;
}
