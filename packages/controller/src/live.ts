/** Live values over WebSocket: a page says which paths and rungs it looks at and gets frames of just those. */
import type { Server } from 'node:http';
import { type FrameRequest, frameOf, parseFrameRequest } from '@ferrule/core';
import { type WebSocket, WebSocketServer } from 'ws';
import type { Access } from './access.js';
import type { Controller } from './controller.js';

const FRAME_MS = 50,
  /** Bytes on their way to a page beyond which it is sent no more. */ MOST_WAITING = 1 << 18;

export function attachLive(server: Server, controller: Controller, access: Access): () => void {
  const { scan } = controller,
    isGone = () => controller.network === 'cut' || !controller.isOn;
  const sockets = new WebSocketServer({ noServer: true, maxPayload: 1 << 20 });
  const wanted = new Map<WebSocket, FrameRequest>();
  server.on('upgrade', (request, socket, head) => {
    if (request.url !== '/live' || isGone() || access.refuses(request)) {
      socket.destroy();
      return;
    }
    sockets.handleUpgrade(request, socket, head, (ws) => {
      wanted.set(ws, { paths: [], rungs: [] });
      controller.views = wanted.size;
      ws.on('message', (m) => {
        const r = parseFrameRequest(String(m));
        if (r) wanted.set(ws, r);
      });
      ws.on('close', () => {
        wanted.delete(ws);
        controller.views = wanted.size;
      });
      ws.on('error', () => ws.terminate());
    });
  });
  const send = async () => {
    if ([...wanted.keys()].some((ws) => ws.bufferedAmount <= MOST_WAITING)) await scan.look();
    for (const [ws, request] of wanted) {
      if (isGone()) {
        ws.terminate();
        continue;
      }
      const { engine } = scan;
      if (!engine || ws.bufferedAmount > MOST_WAITING) continue;
      const { state } = scan.facts;
      // A stopped program evaluates nothing: its rungs carry no power.
      ws.send(JSON.stringify({ ...frameOf(engine, state === 'run' ? request : { ...request, rungs: [] }), state }));
    }
  };
  let isSending = false;
  const timer = setInterval(() => {
    if (isSending || !wanted.size) return;
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
