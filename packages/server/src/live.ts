/** Live view of the controller: relays one WebSocket a page, so that only what somebody looks at is sent. */
import type { IncomingMessage, Server } from 'node:http';
import { WebSocket, WebSocketServer } from 'ws';
import { hasPassword, isAllowed } from './guards.js';

export function attachLive(
  server: Server,
  options: {
    readonly url: string;
    readonly headers: () => Record<string, string>;
    readonly hosts: readonly string[];
    readonly password?: string;
  },
): void {
  const pages = new WebSocketServer({ noServer: true, maxPayload: 1 << 20 });
  server.on('upgrade', (request: IncomingMessage, socket, head) => {
    const allowed =
      request.url === '/api/live' &&
      isAllowed(options.hosts, request.headers.host, request.headers.origin) &&
      (!options.password || hasPassword(options.password, request.headers.authorization));
    if (!allowed) {
      socket.destroy();
      return;
    }
    pages.handleUpgrade(request, socket, head, (page) => relay(page, options.url, options.headers()));
  });
}

function relay(page: WebSocket, url: string, headers: Record<string, string>): void {
  const waiting: string[] = [];
  const controller = new WebSocket(url, { handshakeTimeout: 2000, headers });
  page.on('message', (m) => {
    if (controller.readyState === WebSocket.OPEN) controller.send(String(m));
    else waiting.push(String(m));
  });
  controller.on('open', () => {
    for (const m of waiting.splice(0)) controller.send(m);
  });
  controller.on('message', (m) => {
    if (page.readyState === WebSocket.OPEN && page.bufferedAmount < 1 << 20) page.send(String(m));
  });
  const close = () => {
    page.close();
    controller.terminate();
  };
  controller.on('close', close);
  controller.on('error', close);
  page.on('close', close);
  page.on('error', close);
}
