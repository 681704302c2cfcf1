/** Who works here, as said in the I/O checkout; kept in this browser. */
const NAME = 'ferrule.checkout.by';

export function whoIs(): string {
  try {
    return localStorage.getItem(NAME) ?? '';
  } catch {
    return '';
  }
}
export function sayWho(name: string): void {
  try {
    localStorage.setItem(NAME, name);
  } catch {
    // A browser that keeps nothing asks again next time.
  }
}
