/** Where a command writes. */
export interface Console {
  out(text: string): void;
  error(text: string): void;
}
