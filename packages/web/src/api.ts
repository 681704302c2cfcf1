/** Requests to the server. A failure is an `ApiProblem` with the server's own sentence. */
export class ApiProblem extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly status: number,
    readonly details: Record<string, unknown> = {},
  ) {
    super(message);
  }
}

export async function api<T>(
  method: string,
  path: string,
  payload?: unknown,
  options: { keepalive?: boolean } = {},
): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      ...options,
      ...(payload !== undefined
        ? { body: JSON.stringify(payload), headers: { 'content-type': 'application/json' } }
        : {}),
    });
  } catch {
    throw new ApiProblem('SERVER_UNREACHABLE', 'The Ferrule server does not answer.', 0);
  }
  if (response.status === 204) return undefined as T;
  const answer = (await response.json().catch(() => ({}))) as T & { code?: string; detail?: string };
  if (!response.ok)
    throw new ApiProblem(
      answer.code ?? 'UNKNOWN',
      answer.detail ?? `The server answered ${response.status}.`,
      response.status,
      answer as Record<string, unknown>,
    );
  return answer;
}

export const fetcher = <T>(path: string): Promise<T> => api<T>('GET', path);

export const messageOf = (e: unknown): string => (e instanceof Error ? e.message : String(e));
