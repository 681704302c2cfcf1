/** Structured text in and out: what is taken, what is not, said before anything changes. */
import { Dialog } from 'radix-ui';
import type { ReactNode } from 'react';
import { useNavigate, useParams } from 'react-router';
import type { TextIn, XmlOut } from '@ferrule/core/files';
import { saveAs } from '../components/save-as.js';
import { Button } from '../components/ui.js';
import { useDocument } from '../document/store.js';
import { addressOfTaken } from './place.js';

function Frame({
  title,
  about,
  onClose,
  children,
}: {
  readonly title: string;
  readonly about: string;
  readonly onClose: () => void;
  readonly children: ReactNode;
}) {
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 flex max-h-[84vh] w-[780px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-edge bg-sheet p-5 text-ink shadow-2xl">
          <Dialog.Title className="text-lg font-semibold">{title}</Dialog.Title>
          <Dialog.Description className="-mt-2 text-soft">{about}</Dialog.Description>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function List({
  title,
  lines,
  bad = false,
}: {
  readonly title: string;
  readonly lines: readonly string[];
  readonly bad?: boolean;
}) {
  if (!lines.length) return null;
  return (
    <section className="min-h-0 shrink overflow-auto">
      <h3 className="font-semibold">
        {title} · {lines.length}
      </h3>
      <ul className={`mt-0.5 text-[12.5px] ${bad ? 'text-bad' : 'text-soft'}`}>
        {lines.map((l, i) => (
          <li key={i}>{l}</li>
        ))}
      </ul>
    </section>
  );
}

export function TextOutDialog({
  out,
  name,
  onClose,
}: {
  readonly out: { readonly text: string; readonly left: readonly string[] };
  readonly name: string;
  readonly onClose: () => void;
}) {
  return (
    <Frame
      title="Save as structured text"
      about="Types, tags, programs, blocks and tasks as IEC 61131-3 text; rungs as the statements they mean."
      onClose={onClose}
    >
      <List title="Not in the text" lines={out.left} />
      <pre
        aria-label="The text"
        className="min-h-32 flex-1 overflow-auto rounded-md border border-edge bg-sunk p-2 font-mono text-[11.5px]"
      >
        {out.text}
      </pre>
      <div className="flex gap-2">
        <Button
          look="strong"
          onClick={() => {
            saveAs(name, out.text);
            onClose();
          }}
        >
          Save {name}
        </Button>
        <span className="flex-1" />
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </Frame>
  );
}

/** What others will not see of the file is said before it is written. */
export function XmlOutDialog({
  out,
  name,
  onClose,
}: {
  readonly out: XmlOut;
  readonly name: string;
  readonly onClose: () => void;
}) {
  return (
    <Frame
      title="Save as IEC 61131-10 XML"
      about="Types, globals, programs, blocks and tasks; rungs with their layout. Ferrule reads all of it back as it is."
      onClose={onClose}
    >
      <List title="Others do not see" lines={out.left} bad />
      <List title="Carried beside it, which others pass over" lines={out.added} />
      <div className="flex gap-2">
        <Button
          look="strong"
          onClick={() => {
            saveAs(name, out.text, 'application/xml');
            onClose();
          }}
        >
          Save {name}
        </Button>
        <span className="flex-1" />
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </Frame>
  );
}

export function TextInDialog({
  name,
  read,
  onClose,
}: {
  readonly name: string;
  readonly read: TextIn;
  readonly onClose: () => void;
}) {
  const navigate = useNavigate(),
    { id = '' } = useParams();
  const take = () => {
    if (!read.edit || !useDocument.getState().edit(read.edit)) return;
    onClose();
    const address = addressOfTaken(read.edit, id);
    if (address) void navigate(address);
  };
  return (
    <Frame title={`Take ${name} in`} about="Nothing is changed yet. Ctrl+Z takes it back afterwards." onClose={onClose}>
      {!read.taken.length && !read.left.length && <p className="text-soft">There are no declarations in this text.</p>}
      <List title="Comes in" lines={read.taken} />
      <List title="Stays out" lines={read.left} bad />
      <List title="Errors the text has; it comes in with them" lines={read.problems} bad />
      <div className="flex gap-2">
        <Button look="strong" disabled={!read.edit} onClick={take}>
          Take it in
        </Button>
        <span className="flex-1" />
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </Frame>
  );
}
