/**
 * Sockets of pages: the live view of the controller, relayed so that only what somebody looks at is sent; and the bench
 * that is open to other programs.
 */
import type { IncomingMessage, Server } from 'node:http';
import type { Server as TlsServer } from 'node:https';
import { WebSocket, WebSocketServer } from 'ws';
import type { BenchRelay } from './bench-relay.js';
import { type PasswordBrake, isAllowed } from './guards.js';

export function attachLive(
  server: Server | TlsServer,
  options: {
    readonly url: string;
    readonly headers: () => Record<string, string>;
    readonly hosts: readonly string[];
    readonly brake?: PasswordBrake;
    readonly bench: BenchRelay;
  },
): void {
  const pages = new WebSocketServer({ noServer: true, maxPayload: 1 << 20 }),
    // A project comes whole.
    benches = new WebSocketServer({ noServer: true, maxPayload: 1 << 26 });
  server.on('upgrade', (request: IncomingMessage, socket, head) => {
    const isBench = request.url === '/api/bench',
      // A draft beside is another view of the same controller.
      view = /^\/api\/live(\?of=beside)?$/.exec(request.url ?? '');
    if ((!isBench && !view) || !isAllowed(options.hosts, request.headers.host, request.headers.origin)) {
      socket.destroy();
      return;
    }
    const address = request.socket.remoteAddress ?? '',
      found = options.brake?.try(address, request.headers.authorization) ?? 'right';
    if (found !== 'right') {
      if (found === 'busy') socket.destroy();
      else options.brake!.later(address, found, () => socket.destroy());
      return;
    }
    if (isBench) benches.handleUpgrade(request, socket, head, (page) => options.bench.attach(page));
    else
      pages.handleUpgrade(request, socket, head, (page) =>
        relay(page, options.url + (view?.[1] ?? ''), options.headers()),
      );
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
