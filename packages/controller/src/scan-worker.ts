/**
 * The scan's thread. It sleeps until a scan is due or something is asked, and does nothing else: network, files,
 * compiling and live views are in other threads, and what they do cannot hold it up.
 */
import { type MessagePort, receiveMessageOnPort, workerData } from 'node:worker_threads';
import { Bell } from './bell.js';
import { clockMs } from './clock.js';
import { askFor } from './priority.js';
import type { Asked } from './scan-messages.js';
import { ScanServer } from './scan-server.js';

askFor('scan');
const { port, bell: shared } = workerData as { readonly port: MessagePort; readonly bell: SharedArrayBuffer };
const bell = new Bell(shared);
const server = new ScanServer(clockMs, (m) => port.postMessage(m));
while (!server.hasEnded) {
  const { count } = bell,
    wait = server.tick();
  // One at a time, and none right before a scan: that comes first, and has the time behind it for what is asked.
  const message = server.hasRoom(wait)
    ? (receiveMessageOnPort(port) as { readonly message: Asked } | undefined)
    : undefined;
  if (message) server.take(message.message);
  else bell.sleep(count, wait, server.roomMs);
}
port.close();
