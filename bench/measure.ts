/** Medians of repeated measurements; machines are noisy, so spread is printed too. */
export function median(values: readonly number[]): number {
  const s = [...values].sort((a, b) => a - b);
  return s.length % 2 ? s[(s.length - 1) / 2]! : (s[s.length / 2 - 1]! + s[s.length / 2]!) / 2;
}

export function percentile(values: readonly number[], p: number): number {
  const s = [...values].sort((a, b) => a - b);
  return s[Math.min(s.length - 1, Math.ceil((p / 100) * s.length) - 1)]!;
}

export function line(name: string, values: readonly number[], unit: string): void {
  const f = (n: number) => (n < 10 ? n.toFixed(2) : n.toFixed(0));
  console.log(
    `${name.padEnd(52)} median ${f(median(values)).padStart(8)} ${unit}   (${f(Math.min(...values))} to ${f(Math.max(...values))}, ${values.length} runs)`,
  );
}
