/** The name of a project as the name of a file, without its ending: small letters, figures and hyphens. */
export const fileNameOf = (name: string): string =>
  name
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/g, '') || 'project';

/** Hands a text or bytes to the browser to be saved as a file. */
export function saveAs(name: string, content: string | Uint8Array<ArrayBuffer>, type = 'text/plain'): void {
  const url = URL.createObjectURL(new Blob([content], { type }));
  const a = document.createElement('a');
  a.href = url;
  a.download = name;
  a.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}
