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

/**
 * Posts, and reads the answer line by line as it comes, each JSON; whole numbers past what a number holds come as
 * bigint. Throws with the server's own sentence where it refuses.
 */
export async function linesOf<T>(
  path: string,
  payload: unknown,
  signal: AbortSignal,
  take: (line: T) => void,
): Promise<void> {
  const response = await fetch(`/api${path}`, {
    method: 'POST',
    body: JSON.stringify(payload),
    headers: { 'content-type': 'application/json' },
    signal,
  });
  if (!response.ok || !response.body) {
    const { detail } = (await response.json().catch(() => ({}))) as { detail?: string };
    throw new Error(detail ?? `The server answered ${response.status}.`);
  }
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  for (let text = ''; ;) {
    const { value, done } = await reader.read();
    if (done) return;
    text += value;
    const lines = text.split('\n');
    text = lines.pop()!;
    for (const line of lines)
      take(
        JSON.parse(line, (_, v: unknown) =>
          v !== null && typeof v === 'object' && '$bigint' in v ? BigInt(v.$bigint as string) : v,
        ) as T,
      );
  }
}

export const messageOf = (e: unknown): string => (e instanceof Error ? e.message : String(e));
