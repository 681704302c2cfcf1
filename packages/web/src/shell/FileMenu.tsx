/** What goes in and out of a project as files. */
import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { type TextIn, type XmlOut, projectToFolder, tagsToCsv } from '@ferrule/core/files';
import { projectText } from '@ferrule/core/document';
import { messageOf } from '../api.js';
import { askBench, benchStore } from '../bench/live.js';
import { MENU, MENU_ITEM } from '../components/ui.js';
import { useDroppedFiles, useFileDialog } from '../components/choose-file.js';
import { textOf } from '../components/read-file.js';
import { fileNameOf, saveAs } from '../components/save-as.js';
import { useDocument } from '../document/store.js';
import { TextInDialog, TextOutDialog, XmlOutDialog } from './TextDialogs.js';

/** The project as a folder of text files, in one archive. */
async function saveFolder(): Promise<void> {
  const { project } = useDocument.getState();
  if (!project) return;
  const { strToU8, zipSync } = await import('fflate');
  const root = fileNameOf(project.name);
  const files = Object.fromEntries(
    [...projectToFolder(project)].map(([path, text]) => [`${root}/${path}`, strToU8(text)]),
  );
  saveAs(`${root}.zip`, zipSync(files) as Uint8Array<ArrayBuffer>, 'application/zip');
}

/** Names of files of structured text. */
const TEXT_FILE = /\.(st|txt|iecst)$/i;

export function FileMenu() {
  const [out, setOut] = useState<{ readonly text: string; readonly left: readonly string[] }>();
  const [xml, setXml] = useState<XmlOut>();
  const [given, setGiven] = useState<{ readonly name: string; readonly read: TextIn }>();
  const take = (f: File) =>
    void textOf(f).then(
      async (text) => setGiven({ name: f.name, read: await askBench('textIn', { text }) }),
      (problem: unknown) => benchStore.setState({ refused: messageOf(problem) }),
    );
  useDroppedFiles(([f]) => {
    if (TEXT_FILE.test(f!.name)) take(f!);
    else
      benchStore.setState({
        refused: `‘${f!.name}’ cannot be dropped here: a file of structured text (.st) can. A project opens from the list of projects, tags come in at Tags, a colleague’s file at Revisions.`,
      });
  });
  const [chooseText, textInput] = useFileDialog({
    label: 'Structured text file',
    accept: '.st,.txt,.iecst',
    onFiles: ([f]) => take(f!),
  });
  const navigate = useNavigate();
  const { id } = useParams();
  const project = () => useDocument.getState().project!;
  const items: readonly (readonly [string, () => unknown])[] = [
    [
      'Save as a project file',
      () => saveAs(`${fileNameOf(project().name)}.ferrule.json`, projectText(project()), 'application/json'),
    ],
    ['Save as a folder of text', saveFolder],
    ['Save tags as CSV', () => saveAs('tags.csv', tagsToCsv(project().tags), 'text/csv')],
    ['Save as structured text', async () => setOut(await askBench('textOut', {}))],
    ['Save as IEC 61131-10 XML', async () => setXml(await askBench('xmlOut', {}))],
    ['Take structured text in', chooseText],
    ['C for a board', () => navigate(`/projects/${id}/board`)],
    ['Print', () => navigate(`/projects/${id}/print`)],
    ['Revisions', () => navigate(`/projects/${id}/revisions`)],
  ];
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <button
            type="button"
            aria-label="Files"
            className="flex h-7 shrink-0 items-center gap-0.5 rounded px-1.5 text-[12px] text-bar-soft hover:text-bar-ink"
          >
            Files
            <ChevronDown size={12} />
          </button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content sideOffset={6} align="start" className={MENU}>
            {items.map(([words, run]) => (
              <DropdownMenu.Item key={words} className={MENU_ITEM} onSelect={() => void run()}>
                {words}
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {textInput}
      {xml && <XmlOutDialog out={xml} name={`${fileNameOf(project().name)}.xml`} onClose={() => setXml(undefined)} />}
      {out && <TextOutDialog out={out} name={`${fileNameOf(project().name)}.st`} onClose={() => setOut(undefined)} />}
      {given && <TextInDialog name={given.name} read={given.read} onClose={() => setGiven(undefined)} />}
    </>
  );
}
