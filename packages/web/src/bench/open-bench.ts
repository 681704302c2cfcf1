/** The page's side of the bench that is open to other programs: its socket to the server, and what that shows of it. */
import { createStore } from 'zustand/vanilla';
import type { OpenState } from '../components/OpenProtocols.js';
import { onOutside, tellBench } from './live.js';

interface OpenBench {
  readonly shown: OpenState | undefined;
  readonly log: readonly string[];
  /** Why something was not done, or another window took over. */ readonly refused: string | undefined;
}
export const openBenchStore = createStore<OpenBench>(() => ({ shown: undefined, log: [], refused: undefined }));

type Said =
  | { readonly kind: 'shown'; readonly shown: OpenState; readonly log: readonly string[] }
  | { readonly kind: 'write'; readonly n: number; readonly path: string; readonly value: string }
  | { readonly kind: 'refused'; readonly message: string }
  | { readonly kind: 'elsewhere' };

/** Why the bench is at the server: somebody looks, or a protocol is open. */
let isLookedAt = false,
  isOpen = false,
  isElsewhere = false;
/** Which bench this is: that of a page, and of a project in it. */
const newToken = () => crypto.getRandomValues(new Uint32Array(4)).join('-');
let token = newToken();
let socket: WebSocket | undefined;
const isWanted = () => (isLookedAt || isOpen) && !isElsewhere;
const say = (m: object) => {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(m));
};

function connect(): void {
  if (!isWanted() || socket) return;
  const s = new WebSocket(`${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/bench`);
  socket = s;
  s.onopen = () => {
    say({ kind: 'page', token });
    tellBench({ kind: 'outside', isOn: true });
  };
  s.onmessage = (m) => hear(JSON.parse(String(m.data)) as Said);
  s.onclose = () => {
    socket = undefined;
    tellBench({ kind: 'outside', isOn: false });
    openBenchStore.setState({ shown: undefined });
    if (isWanted()) setTimeout(connect, 1000);
  };
}

function hear(m: Said): void {
  switch (m.kind) {
    case 'shown':
      isOpen = m.shown.modbus.isOn || m.shown.opcua.isOn;
      openBenchStore.setState({ shown: m.shown, log: m.log });
      break;
    case 'write':
      tellBench({ kind: 'outsideWrite', n: m.n, path: m.path, value: m.value });
      break;
    case 'refused':
      openBenchStore.setState({ refused: m.message });
      break;
    case 'elsewhere':
      isElsewhere = true;
      isOpen = false;
      openBenchStore.setState({ refused: 'The bench of another window is open to other programs now.' });
  }
}

onOutside((m) => {
  if (m.kind === 'outsidePoints') say({ kind: 'points', project: m.project, scanMs: m.scanMs });
  else if (m.kind === 'outsideValues') say({ kind: 'values', state: m.state, changes: m.changes });
  else say({ kind: 'written', n: m.n, ...(m.error === undefined ? {} : { error: m.error }) });
});

/** Somebody looks at who is there, or does no longer. */
export function lookAtOpenBench(isLooking: boolean): void {
  isLookedAt = isLooking;
  if (isLooking) {
    isElsewhere = false;
    openBenchStore.setState({ refused: undefined });
    connect();
  } else if (!isOpen) socket?.close();
}
/** The project is left: nothing of it is open any more. */
export function closeOpenBench(): void {
  isLookedAt = isOpen = false;
  token = newToken();
  socket?.close();
}
export function setProtocol(kind: 'modbus' | 'opcua', fields: Readonly<Record<string, unknown>>): void {
  openBenchStore.setState({ refused: undefined });
  say({ kind, fields });
}
export function trustCertificate(thumbprint: string, isTrusted: boolean): void {
  say({ kind: 'trust', thumbprint, isTrusted });
}
