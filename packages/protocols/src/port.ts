/** A port as the environment says it; `stop` hears the sentence where it says none, and does not come back. */
export function portOf(
  env: Readonly<Record<string, string | undefined>>,
  name: string,
  usual: number,
  stop: (sentence: string) => never,
): number {
  const text = env[name] ?? String(usual),
    port = Number(text);
  if (!/^\d+$/.test(text) || port < 1 || port > 65_535)
    return stop(`${name} is '${text}', which is no port; give a number from 1 to 65535.`);
  return port;
}
