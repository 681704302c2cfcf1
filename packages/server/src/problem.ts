/** Errors of the API: one catalogue, one middleware that answers with problem details (RFC 9457). */
import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';

const CATALOGUE = {
  INVALID_BODY: { status: 400, title: 'The request does not fit' },
  INVALID_PROJECT: { status: 400, title: 'This is not a project' },
  FORBIDDEN_ORIGIN: { status: 403, title: 'Not from this page' },
  PASSWORD_NEEDED: { status: 401, title: 'A password is needed' },
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
  INTERNAL: { status: 500, title: 'Something broke in Ferrule' },
} as const;

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
    if (p.code === 'INTERNAL') log.error({ error, path: request.path }, 'request failed');
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
          detail: p.message,
          code: p.code,
          ...p.extra,
        }),
      );
  };
}

function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  const type = (error as { type?: string } | null)?.type;
  if (type === 'entity.too.large') return problem('BODY_TOO_LARGE', 'The request body is larger than 20 MB.');
  if (type === 'entity.parse.failed')
    return problem('INVALID_BODY', `The request body is not JSON: ${(error as Error).message}`);
  return problem('INTERNAL', 'The server could not finish this; its log says more.');
}
