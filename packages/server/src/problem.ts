/** Errors of the API: one catalogue, one middleware that answers with problem details (RFC 9457). */
import { randomUUID } from 'node:crypto';
import type { ErrorRequestHandler, RequestHandler, Response } from 'express';
import type { Logger } from 'pino';

const CATALOGUE = {
  INVALID_BODY: { status: 400, title: 'The request does not fit' },
  NO_WORKERS: { status: 409, title: 'There is no worker' },
  INVALID_PROJECT: { status: 400, title: 'This is not a project' },
  FORBIDDEN_ORIGIN: { status: 403, title: 'Not from this page' },
  PASSWORD_NEEDED: { status: 401, title: 'A password is needed' },
  TOO_MANY_TRIES: { status: 429, title: 'Too many wrong passwords' },
  BAD_REQUEST: { status: 400, title: 'The request cannot be read' },
  UNKNOWN_ENCODING: { status: 415, title: 'The request is written in a way that is not known here' },
  BUSY: { status: 503, title: 'Too much is being worked at' },
  NOT_FOUND: { status: 404, title: 'There is nothing here' },
  PROJECT_NOT_FOUND: { status: 404, title: 'There is no such project' },
  REVISION_NOT_FOUND: { status: 404, title: 'There is no such revision' },
  REVISION_CONFLICT: { status: 409, title: 'The project was changed elsewhere' },
  EDIT_REFUSED: { status: 409, title: 'The change does not fit the project' },
  BODY_TOO_LARGE: { status: 413, title: 'The request is too large' },
  LOGIC_HAS_ERRORS: { status: 422, title: 'The logic has errors' },
  DOWNLOAD_RUNNING: { status: 409, title: 'A download is running' },
  OUTSIDE_AWAY: { status: 502, title: 'The other program does not answer' },
  CONTROLLER_UNREACHABLE: { status: 502, title: 'The controller does not answer' },
  NOTHING_TO_UPLOAD: { status: 409, title: 'The controller is empty' },
  NOTHING_KEPT: { status: 409, title: 'The controller is empty' },
  CONTROLLER_REFUSED: { status: 409, title: 'The controller refused' },
  NOT_STORED: { status: 507, title: 'It could not be stored' },
  DATABASE_DAMAGED: { status: 500, title: 'The database is damaged' },
  WORK_STOPPED: { status: 500, title: 'The work stopped' },
  INTERNAL: { status: 500, title: 'Something broke in Ferrule' },
} as const;

/** Names each request, in its answer and in the log. */
export const requestId: RequestHandler = (_, response, next) => {
  response.setHeader('X-Request-Id', randomUUID().slice(0, 8));
  next();
};
const idOf = (response: Response): string | undefined => response.getHeader('X-Request-Id') as string | undefined;

export type ProblemCode = keyof typeof CATALOGUE;

export class Problem extends Error {
  constructor(
    readonly code: ProblemCode,
    detail: string,
    readonly extra: Record<string, unknown> = {},
  ) {
    super(detail);
  }
}

/** `extra` members are added to the answer, for example `errors`, a list of fields and what is wrong. */
export const problem = (code: ProblemCode, detail: string, extra?: Record<string, unknown>): Problem =>
  new Problem(code, detail, extra);

export function problemHandler(log: Logger): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    void next;
    const p = toProblem(error);
    const id = idOf(response);
    if (p.code === 'INTERNAL')
      log.error({ err: error, request: id, method: request.method, path: request.path }, 'request failed');
    const { status, title } = CATALOGUE[p.code];
    if (status === 401) response.setHeader('WWW-Authenticate', 'Basic realm="Ferrule"');
    response
      .status(status)
      .type('application/problem+json')
      .send(
        JSON.stringify({
          type: `urn:ferrule:problem:${p.code}`,
          title,
          status,
          detail: p.code === 'INTERNAL' && id ? `${p.message.slice(0, -1)}, under request ${id}.` : p.message,
          code: p.code,
          ...(id ? { request: id } : {}),
          ...p.extra,
        }),
      );
  };
}

function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  const stored = storeProblem(error);
  if (stored) return stored;
  const type = (error as { type?: string } | null)?.type;
  if (type === 'entity.too.large') return problem('BODY_TOO_LARGE', 'The request body is larger than 20 MB.');
  if (type === 'entity.parse.failed')
    return problem('INVALID_BODY', `The request body is not JSON: ${(error as Error).message}`);
  if (type === 'encoding.unsupported' || type === 'charset.unsupported')
    return problem('UNKNOWN_ENCODING', `The request body cannot be read: ${(error as Error).message}.`);
  // Express and what reads bodies for it say by a status what is the caller's.
  const { status } = error as { status?: unknown };
  if (error instanceof Error && typeof status === 'number' && status >= 400 && status < 500)
    return problem('BAD_REQUEST', `The request cannot be read: ${error.message}.`);
  return problem('INTERNAL', 'The server could not finish this; its log says more.');
}

/**
 * What the database says, with what to do; by SQLite's result codes. The page keeps its changes and sends them again.
 */
function storeProblem(error: unknown): Problem | undefined {
  for (let e = error as { code?: unknown; cause?: unknown } | undefined; e; e = e.cause as typeof e) {
    const code = typeof e.code === 'string' ? e.code : '';
    if (code.startsWith('SQLITE_FULL') || code === 'ENOSPC')
      return problem(
        'NOT_STORED',
        'The disk of the server is full: nothing was stored. Make room on it; what is not stored yet is kept in the page and sent again.',
      );
    if (code.startsWith('SQLITE_READONLY') || code === 'EROFS' || code === 'EACCES')
      return problem(
        'NOT_STORED',
        'The server may not write to its data folder: nothing was stored. Make it writable; what is not stored yet is kept in the page and sent again.',
      );
    if (code.startsWith('SQLITE_IOERR'))
      return problem(
        'NOT_STORED',
        `The disk of the server does not take it (${code}): nothing was stored. What is not stored yet is kept in the page and sent again.`,
      );
    if (code.startsWith('SQLITE_BUSY') || code.startsWith('SQLITE_LOCKED'))
      return problem(
        'NOT_STORED',
        'Another program holds the database of the server: nothing was stored. What is not stored yet is kept in the page and sent again.',
      );
    if (/^SQLITE_(CORRUPT|NOTADB)/.test(code))
      return problem(
        'DATABASE_DAMAGED',
        'The database of the server is damaged. Start Ferrule again: it sets the damaged one aside and brings over what is whole in it. What is not stored yet is kept in the page.',
      );
  }
  return undefined;
}
