/**
 * Live values over WebSocket: a page says which paths and rungs it looks at and gets frames of just those. Of what runs
 * (`/live`), and of a draft that runs beside it (`/live?of=beside`; nothing comes while none does).
 */
import type { Server } from 'node:http';
import { type Engine, type FrameRequest, frameOf, parseFrameRequest } from '@ferrule/core/bench';
import { type WebSocket, WebSocketServer } from 'ws';
import type { Access } from './access.js';
import type { Controller } from './controller.js';

const FRAME_MS = 50,
  /** Bytes on their way to a page beyond which it is sent no more. */ MOST_WAITING = 1 << 18;

export function attachLive(server: Server, controller: Controller, access: Access): () => void {
  const { scan } = controller,
    isGone = () => controller.network === 'cut' || !controller.isOn;
  const sockets = new WebSocketServer({ noServer: true, maxPayload: 1 << 20 });
  const wanted = new Map<WebSocket, FrameRequest>(),
    drafts = new Map<WebSocket, FrameRequest>();
  server.on('upgrade', (request, socket, head) => {
    const asking = request.url === '/live' ? wanted : request.url === '/live?of=beside' ? drafts : undefined;
    if (!asking || isGone() || access.refuses(request)) {
      socket.destroy();
      return;
    }
    sockets.handleUpgrade(request, socket, head, (ws) => {
      asking.set(ws, { paths: [], rungs: [] });
      controller.views = wanted.size;
      ws.on('message', (m) => {
        const r = parseFrameRequest(String(m));
        if (r) asking.set(ws, r);
      });
      ws.on('close', () => {
        asking.delete(ws);
        controller.views = wanted.size;
      });
      ws.on('error', () => ws.terminate());
    });
  });
  const hasRoom = (ws: WebSocket) => ws.bufferedAmount <= MOST_WAITING;
  const sendTo = (all: ReadonlyMap<WebSocket, FrameRequest>, engine: Engine | undefined, state: string) => {
    for (const [ws, request] of all)
      if (isGone()) ws.terminate();
      else if (engine && hasRoom(ws))
        // A stopped program evaluates nothing: its rungs carry no power.
        ws.send(JSON.stringify({ ...frameOf(engine, state === 'run' ? request : { ...request, rungs: [] }), state }));
  };
  const send = async () => {
    if ([...wanted.keys()].some(hasRoom)) await scan.look();
    sendTo(wanted, scan.engine, scan.facts.state);
    if (drafts.size) sendTo(drafts, isGone() ? undefined : await scan.lookBeside(), 'run');
  };
  let isSending = false;
  const timer = setInterval(() => {
    if (isSending || wanted.size + drafts.size === 0) return;
    isSending = true;
    send()
      .catch(() => undefined)
      .finally(() => (isSending = false));
  }, FRAME_MS);
  return () => {
    clearInterval(timer);
    sockets.close();
  };
}
