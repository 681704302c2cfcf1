/** Beside the transport: the bench open to other programs. */
import { Share2 } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useEffect } from 'react';
import { Link, useParams } from 'react-router';
import { useStore } from 'zustand';
import { closeOpenBench, lookAtOpenBench, openBenchStore, setProtocol, trustCertificate } from '../bench/open-bench.js';
import { linkColour } from '../components/LinkTo.js';
import { OpenProtocols } from '../components/OpenProtocols.js';
import { Hint } from '../components/ui.js';
import { useDocument } from '../document/store.js';

const WORDS = {
  run: 'Values are good: the bench runs.',
  paused: 'Values are uncertain: the bench is paused.',
  fault: 'Values are bad: the logic has faulted.',
  gone: 'There are no values: nothing runs on the bench.',
};

export function OpenBench() {
  const { shown, log, refused } = useStore(openBenchStore);
  const { id } = useParams();
  useEffect(() => closeOpenBench, [id]);
  const isOpen = shown !== undefined && (shown.modbus.isOn || shown.opcua.isOn),
    there = shown ? shown.modbus.clients.length + shown.opcua.clients.length : 0;
  return (
    <Popover.Root onOpenChange={lookAtOpenBench}>
      <Hint text="The bench open to other programs">
        <Popover.Trigger asChild>
          <button
            aria-label={isOpen ? `Open to other programs, ${there} connected` : 'Open to other programs …'}
            className={`flex h-8 min-w-8 items-center justify-center gap-1 rounded-md px-1.5 text-[12px] font-semibold hover:bg-bar ${isOpen ? 'ring-2 ring-copper ring-inset' : ''}`}
          >
            <Share2 size={15} />
            {isOpen && there}
          </button>
        </Popover.Trigger>
      </Hint>
      <Popover.Portal>
        <Popover.Content
          sideOffset={6}
          className="z-50 max-h-[80vh] w-[680px] max-w-[95vw] overflow-auto rounded-lg border border-edge bg-sheet text-[13px] text-ink shadow-xl"
          aria-label="The bench open to other programs"
        >
          {refused !== undefined && (
            <p role="alert" className="m-3 mb-0 rounded-md bg-bad-soft px-2 py-1 text-bad">
              {refused}
            </p>
          )}
          {shown ? (
            <OpenProtocols
              of={shown}
              words={WORDS}
              empty="Nothing: no tag has access from outside. Give it in Tags, under Access."
              projectId={id}
              set={setProtocol}
              trust={trustCertificate}
            />
          ) : (
            refused === undefined && <p className="p-4 text-soft">Asking the server …</p>
          )}
          {log.length > 0 && (
            <ul
              aria-label="What happened"
              className="max-h-40 overflow-y-auto border-t border-edge px-3 py-2 text-soft"
            >
              {[...log].reverse().map((words, i) => (
                <li key={i}>{words}</li>
              ))}
            </ul>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Where inputs and outputs of the bench are, where that is not the machine model: always in sight. */
export function OutsideMark() {
  const isOn = useDocument((s) => s.project?.outside?.isOn === true),
    { shown, isJoined } = useStore(openBenchStore),
    { id } = useParams();
  if (!isOn) return null;
  const of = isJoined ? shown?.outside : undefined,
    words = !isJoined ? 'not joined' : of?.state === 'on' ? 'joined' : of?.state === 'away' ? 'away' : 'joining …';
  return (
    <Hint text={`Outside I/O: ${words}`}>
      <Link
        to={`/projects/${id}/machine?view=outside`}
        aria-label={`Outside I/O, ${words}`}
        className="flex h-8 items-center gap-1 rounded-md px-1.5 text-[12px] font-semibold whitespace-nowrap hover:bg-bar"
      >
        <span aria-hidden className={`size-2 rounded-full bg-current ${of ? linkColour(of) : 'text-bar-soft'}`} />
        I/O
      </Link>
    </Hint>
  );
}
