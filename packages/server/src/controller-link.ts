/** The server's end of the network cable to a controller: plain HTTP with short time-outs, and chunked downloads. */
import type { ControllerRecord } from '@ferrule/core/verify';
import { type Project, programOf, projectHash, projectText } from '@ferrule/core/document';
import { Problem, problem } from './problem.js';

/** What becomes of a program once it is sent. */
export interface Taking {
  readonly what: 'download' | 'trial' | 'run beside';
  /** How it is taken, as the controller is told. */ readonly ask: object;
  readonly note?: string;
}

export interface DownloadState {
  readonly state: 'none' | 'sending' | 'done' | 'failed';
  readonly what: Taking['what'];
  readonly sent: number;
  readonly total: number;
  readonly message?: string;
  /** What did not survive a download that keeps the state. */
  readonly lost?: readonly string[];
}

/** What a controller keeps and its latest events, for a report. */
export async function recordOf(link: ControllerLink): Promise<ControllerRecord | 'no answer'> {
  try {
    const s = await link.request<{ name: string; project?: string; revision?: number; hash?: string }>(
        'GET',
        '/status',
      ),
      { events } = await link.request<{ events: ControllerRecord['events'] }>(
        'GET',
        `/events?limit=${REPORTED_EVENTS}`,
      );
    return {
      name: s.name,
      ...(s.hash !== undefined && s.project !== undefined && s.revision !== undefined
        ? { kept: { project: s.project, revision: s.revision, hash: s.hash } }
        : {}),
      events: events.map(({ at, kind, words }) => ({ at, kind, words })),
    };
  } catch {
    return 'no answer';
  }
}
const REPORTED_EVENTS = 60;

/** The controller's own answer to what it was asked, with its HTTP status there. */
class ControllerRefused extends Problem {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super('CONTROLLER_REFUSED', message);
  }
}

export class ControllerLink {
  private download: DownloadState = { state: 'none', what: 'download', sent: 0, total: 0 };
  constructor(
    readonly url: string,
    private readonly timeoutMs = 2000,
    /** The controller's key, where the desk has it. */ private readonly key: () => string | undefined = () =>
      undefined,
  ) {}

  /** What every request brings along. */
  get headers(): Record<string, string> {
    const key = this.key();
    return key === undefined ? {} : { authorization: `Bearer ${key}` };
  }

  get liveUrl(): string {
    return `${this.url.replace(/^http/, 'ws')}/live`;
  }
  get downloadState(): DownloadState {
    return this.download;
  }

  /** One request; a broken link becomes a problem that says so. */
  async request<T>(
    method: string,
    path: string,
    payload?: unknown,
    raw?: Uint8Array,
    timeoutMs = this.timeoutMs,
  ): Promise<T> {
    let response: Response;
    try {
      response = await fetch(this.url + path, {
        method,
        signal: AbortSignal.timeout(timeoutMs),
        ...(raw
          ? {
              body: raw as unknown as BodyInit,
              headers: { ...this.headers, 'content-type': 'application/octet-stream' },
            }
          : payload !== undefined
            ? { body: JSON.stringify(payload), headers: { ...this.headers, 'content-type': 'application/json' } }
            : { headers: this.headers }),
      });
    } catch {
      throw problem(
        'CONTROLLER_UNREACHABLE',
        'The controller does not answer. Look at its network cable and its power.',
      );
    }
    const answer = (await response.json().catch(() => ({}))) as T & { message?: string };
    if (!response.ok)
      throw new ControllerRefused(response.status, answer.message ?? `The controller answered ${response.status}.`);
    return answer;
  }

  /**
   * Starts a transfer; progress is asked for with `downloadState`. The old program runs until the new one is whole and
   * verified.
   */
  start(document: Project, revision: number, then: Taking): DownloadState {
    if (this.download.state === 'sending')
      throw problem('DOWNLOAD_RUNNING', 'Wait until what is being sent to the controller has arrived.');
    const bytes = new TextEncoder().encode(projectText(programOf(document)));
    this.download = { state: 'sending', what: then.what, sent: 0, total: bytes.length };
    let isAsked = false;
    const asked = () => (isAsked = true);
    void this.send(bytes, projectHash(document), revision, then, asked).catch((e: Error) => {
      // Of what went wrong at the controller itself its own words say what it keeps.
      const isKept = !isAsked || (e instanceof ControllerRefused && e.status < 500),
        keeps = isKept
          ? ' The controller keeps the program it had.'
          : e instanceof ControllerRefused
            ? ''
            : ' All of it was sent: whether the controller took it is not known; what it keeps is shown once it answers.';
      this.download = {
        ...this.download,
        state: 'failed',
        message: `The ${then.what} broke off after ${this.download.sent} of ${this.download.total} bytes: ${e.message}${keeps}`,
      };
    });
    return this.download;
  }

  /** `asked`: told before the controller is asked to take what was sent. */
  private async send(
    bytes: Uint8Array,
    hash: string,
    revision: number,
    then: Taking,
    asked: () => void,
  ): Promise<void> {
    const { id, chunkSize } = await this.request<{ id: string; chunkSize: number }>('POST', '/downloads', {
      size: bytes.length,
      hash,
      revision,
      ...(then.note ? { note: then.note } : {}),
    });
    for (let at = 0, n = 0; at < bytes.length; at += chunkSize, n++) {
      await this.request('PUT', `/downloads/${id}/${n}`, undefined, bytes.subarray(at, at + chunkSize));
      this.download = { ...this.download, sent: Math.min(at + chunkSize, bytes.length) };
    }
    asked();
    const done = await this.request<{ hash: string; lost: string[] }>(
      'POST',
      `/downloads/${id}/${{ download: 'commit', trial: 'try', 'run beside': 'beside' }[then.what]}`,
      then.ask,
      undefined,
      // It is compiled there before it answers.
      30_000,
    );
    if (done.hash !== hash) throw new Error('The controller reports another hash.');
    this.download = { ...this.download, state: 'done', lost: done.lost };
  }
}
