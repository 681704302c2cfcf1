/** The page's side of the bench that is open to other programs: its socket to the server, and what that shows of it. */
import { createStore } from 'zustand/vanilla';
import type { OpenState } from '../components/OpenProtocols.js';
import { onOutside, tellBench } from './live.js';

interface OpenBench {
  readonly shown: OpenState | undefined;
  readonly log: readonly string[];
  /** Whether inputs are wanted from another program, and outputs go to it. */ readonly isJoined: boolean;
  /** Why something was not done, or another window took over. */ readonly refused: string | undefined;
}
export const openBenchStore = createStore<OpenBench>(() => ({
  shown: undefined,
  log: [],
  isJoined: false,
  refused: undefined,
}));

type Said =
  | { readonly kind: 'shown'; readonly shown: OpenState; readonly log: readonly string[] }
  | { readonly kind: 'write'; readonly n: number; readonly path: string; readonly value: string }
  | { readonly kind: 'inputs'; readonly values: readonly (readonly [string, string?])[]; readonly isLost: boolean }
  | { readonly kind: 'refused'; readonly message: string }
  | { readonly kind: 'elsewhere' };

/** Why the bench is at the server: somebody looks, a protocol is open, or another program gives its inputs. */
let isLookedAt = false,
  isOpen = false,
  isElsewhere = false;
/** Which bench this is: that of a page, and of a project in it. */
const newToken = () => crypto.getRandomValues(new Uint32Array(4)).join('-');
let token = newToken();
let socket: WebSocket | undefined;
const isJoined = () => openBenchStore.getState().isJoined;
const isWanted = () => (isLookedAt || isOpen || isJoined()) && !isElsewhere;
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
    if (isJoined()) tellBench({ kind: 'link', isOn: true });
  };
  s.onmessage = (m) => hear(JSON.parse(String(m.data)) as Said);
  s.onclose = () => {
    socket = undefined;
    tellBench({ kind: 'outside', isOn: false });
    // Its inputs are away with the server, as with the other program.
    if (isJoined()) tellBench({ kind: 'linkInputs', values: [], isLost: true });
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
    case 'inputs':
      tellBench({ kind: 'linkInputs', values: m.values, isLost: m.isLost });
      break;
    case 'refused':
      openBenchStore.setState({ refused: m.message });
      break;
    case 'elsewhere':
      isElsewhere = true;
      isOpen = false;
      if (isJoined()) tellBench({ kind: 'link', isOn: false });
      openBenchStore.setState({
        isJoined: false,
        refused: 'The bench of another window is open to other programs now.',
      });
  }
}

onOutside((m) => {
  if (m.kind === 'outsidePoints') say({ kind: 'points', project: m.project, scanMs: m.scanMs });
  else if (m.kind === 'outsideValues') say({ kind: 'values', state: m.state, changes: m.changes });
  else if (m.kind === 'outsideLink')
    say({ kind: 'link', scanMs: m.scanMs, ...(m.project ? { project: m.project } : {}) });
  else if (m.kind === 'outsideOutputs') say({ kind: 'outputs', values: m.values });
  else say({ kind: 'written', n: m.n, ...(m.error === undefined ? {} : { error: m.error }) });
});

/** Somebody looks at who is there, or does no longer. */
export function lookAtOpenBench(isLooking: boolean): void {
  isLookedAt = isLooking;
  if (isLooking) {
    isElsewhere = false;
    openBenchStore.setState({ refused: undefined });
    connect();
  } else if (!isOpen && !isJoined()) socket?.close();
}
/** Inputs come from another program and outputs go to it from now on, or not any more. */
export function joinOutside(isOn: boolean): void {
  isElsewhere = false;
  openBenchStore.setState({ isJoined: isOn, refused: undefined });
  if (!isOn) {
    say({ kind: 'link', scanMs: 0 });
    tellBench({ kind: 'link', isOn: false });
    if (!isWanted()) socket?.close();
  } else if (socket?.readyState === WebSocket.OPEN) tellBench({ kind: 'link', isOn: true });
  else connect();
}
/** A password was told: with it the other program is joined anew. */
export const rejoinOutside = (): void => say({ kind: 'rejoin' });
/** The project is left: nothing of it is open any more. */
export function closeOpenBench(): void {
  isLookedAt = isOpen = false;
  if (isJoined()) joinOutside(false);
  token = newToken();
  socket?.close();
}
export function setProtocol(kind: 'modbus' | 'opcua', fields: Readonly<Record<string, unknown>>): void {
  openBenchStore.setState({ refused: undefined });
  say({ kind, fields });
}
export function trustCertificate(thumbprint: string, isTrusted: boolean, of: 'trust' | 'trustOutside' = 'trust'): void {
  say({ kind: of, thumbprint, isTrusted });
}
