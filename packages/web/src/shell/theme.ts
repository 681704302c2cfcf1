/** Light or dark: the system's wish unless the user chose. */
const KEY = 'ferrule.theme';

export function applyTheme(): void {
  const chosen = localStorage.getItem(KEY);
  document.documentElement.dataset['theme'] =
    chosen ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light');
}

export function switchTheme(): void {
  localStorage.setItem(KEY, document.documentElement.dataset['theme'] === 'dark' ? 'light' : 'dark');
  applyTheme();
}
