/** Live values from the controller, in the same shape as the bench's. */
import { createStore } from 'zustand/vanilla';
import { api, messageOf } from '../../api.js';
import { type Live, type LiveState, makeLooker } from '../../bench/live.js';
import type { Frame } from '@ferrule/core/bench';

export interface ControllerLive extends Live {
  close(): void;
}

/** Opens the live link to what runs, or to a draft beside it; it comes back by itself when it was cut. */
export function openControllerLive(of: 'running' | 'beside', onRefused: (message: string) => void): ControllerLive {
  const store = createStore<LiveState>(() => ({ frame: undefined }));
  let socket: WebSocket | undefined;
  let closed = false;
  let request = { paths: [] as string[], rungs: [] as string[] };
  const looker = makeLooker((r) => {
    request = r;
    if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(r));
  });
  const connect = () => {
    if (closed) return;
    socket = new WebSocket(
      `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/live${of === 'beside' ? '?of=beside' : ''}`,
    );
    socket.onopen = () => socket!.send(JSON.stringify(request));
    socket.onmessage = (m) => {
      store.setState({ frame: JSON.parse(String(m.data)) as Frame });
    };
    socket.onclose = () => {
      store.setState({ frame: undefined });
      setTimeout(connect, 1000);
    };
  };
  connect();
  return {
    kind: 'controller',
    store,
    look: looker.look,
    close: () => {
      closed = true;
      socket?.close();
    },
    // A controller does not stand inside a scan: coming up is a value like any other there.
    event: (e) => {
      api('POST', '/controller/events', { ...e, letGo: undefined }).catch((x: unknown) => onRefused(messageOf(x)));
    },
  };
}
