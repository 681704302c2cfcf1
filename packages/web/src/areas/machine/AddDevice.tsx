/** The list of devices that can be added: by name, or by a word of what they do. */
import { ChevronDown } from 'lucide-react';
import { Popover } from 'radix-ui';
import { type KeyboardEvent, useMemo, useRef, useState } from 'react';
import { DEVICE_GROUPS, type DeviceKind, snapLinks } from '@ferrule/core/machine';
import type { Device, Edit } from '@ferrule/core/document';
import { focusField } from '../../components/focus.js';
import { type Offer, Offers, useOffers } from '../../components/offers.js';
import { Button } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { kindsFor, wordsOf } from './kinds-for.js';

interface Entry extends Offer {
  readonly kind: DeviceKind;
}

/** A new device, named by its kind; what it stands behind in the flow is the one before it. */
export function AddDevice({
  after,
  onAdded,
}: {
  readonly after: string | undefined;
  readonly onAdded: (id: string) => void;
}) {
  const own = useDocument((s) => s.project?.machine.kinds),
    before = useDocument((s) => s.project?.machine.devices.find((d) => d.id === after)),
    [isOpen, setOpen] = useState(false),
    [typed, setTyped] = useState('');
  const found = useMemo(
    () =>
      kindsFor(own?.length ? [...DEVICE_GROUPS, { name: 'Own', kinds: own }] : DEVICE_GROUPS, typed).map(
        ({ kind, group }): Entry => ({
          key: kind.type,
          text: wordsOf(kind.type),
          about: kind.help,
          ...(typed.trim() ? { right: group } : { group }),
          kind,
        }),
      ),
    [own, typed],
  );
  const offer = useOffers(found, { isLong: true });
  const add = ({ kind }: Entry) => {
    const { project, edit } = useDocument.getState();
    if (!project) return;
    const all = project.machine.devices,
      base = kind.type,
      at = before ? all.indexOf(before) + 1 : all.length;
    let name: string = base,
      n = 2;
    while (all.some((d) => d.name.toLowerCase() === name.toLowerCase())) name = `${base}${n++}`;
    const device: Device = {
      id: newId('d'),
      name,
      type: kind.type,
    };
    // It snaps to what it acts on: the nearest before it in the flow that has what it feels.
    const machine = { ...project.machine, devices: [...all.slice(0, at), device, ...all.slice(at)] },
      links = snapLinks({ machine }, device, all.slice(0, at));
    edit({
      kind: 'group',
      label: `Add ${name}`,
      edits: [
        { kind: 'addDevice', at, device },
        ...machine.devices.flatMap((d): Edit[] => {
          const wires = links.get(d.name);
          return wires ? [{ kind: 'changeDevice', id: d.id, to: { wires } }] : [];
        }),
      ],
    });
    onAdded(device.id);
    made.current = name;
    open(false);
  };
  /** What was added is named next: the list gives the cursor to that field, not back to its button. */
  const made = useRef<string>(undefined);
  const nameNext = (e: Event) => {
    const name = made.current;
    made.current = undefined;
    if (name === undefined) return;
    e.preventDefault();
    focusField(`Name of the device ${name}`);
  };
  const open = (to: boolean) => {
    setOpen(to);
    setTyped('');
    offer.again();
  };
  const onKey = (e: KeyboardEvent) => {
    if (e.key === 'Escape') return;
    e.stopPropagation();
    if (offer.onKey(e)) return;
    if (e.key === 'Enter' && offer.chosen) {
      e.preventDefault();
      add(offer.chosen);
    }
  };
  return (
    <Popover.Root open={isOpen} onOpenChange={open}>
      <Popover.Trigger asChild>
        <Button look="strong">
          Add device
          <ChevronDown size={13} />
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          aria-label="Add device"
          onCloseAutoFocus={nameNext}
          className="z-50 flex max-h-[70vh] w-[480px] flex-col rounded-lg border border-edge bg-sheet text-[12.5px] shadow-xl"
        >
          <input
            autoFocus
            {...offer.aria}
            aria-label="Kind of device"
            placeholder="A kind of device, or a word of what it does"
            spellCheck={false}
            value={typed}
            onChange={(e) => {
              setTyped(e.target.value);
              offer.again();
            }}
            onKeyDown={onKey}
            className="h-9 shrink-0 border-b border-edge bg-transparent px-3 outline-none placeholder:text-faint"
          />
          <Offers
            of={offer}
            label="Kinds of devices"
            onTake={add}
            follows
            row="px-2 py-[3px]"
            look="w-32 font-medium"
            empty="No device is called so or does that. One of your own can be written: Own devices."
            className="min-h-0 overflow-y-auto p-1"
          />
          <p className="shrink-0 border-t border-edge px-3 py-1 text-[11.5px] text-soft">
            {before
              ? `Behind ${before.label ?? before.name} in the flow`
              : 'At the end of the flow; choose a device to put it behind that one'}
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
