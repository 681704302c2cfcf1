/** The bench in a worker of its own: hands it what the page says and a turn every frame, or at once where more is due. */
import { Bench, FRAME_MS } from './bench.js';
import type { ToBench } from './protocol.js';

const bench = new Bench((m) => postMessage(m));
onmessage = (m: MessageEvent<ToBench>) => bench.take(m.data);

const again = new MessageChannel();
function turn(): void {
  if (bench.turn()) again.port2.postMessage(0);
  else setTimeout(turn, FRAME_MS);
}
again.port1.onmessage = turn;
turn();
