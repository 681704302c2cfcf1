/** Parts of the page that do not come: because the way to the server is cut, or because Ferrule was updated meanwhile. */

/** Where a page takes its code from, first of all; the name changes with what is in it. */
const codeOf = (page: ParentNode): string | null | undefined =>
  page.querySelector('script[type=module][src]')?.getAttribute('src');

/**
 * Whether the server has another version of Ferrule than the one this page is: then parts that were not shown yet are
 * no longer there, and only loading the page anew helps. False where the server cannot be asked.
 */
export async function isOutdated(): Promise<boolean> {
  try {
    const answer = await fetch('/', { cache: 'no-store' });
    if (!answer.ok) return false;
    const now = codeOf(new DOMParser().parseFromString(await answer.text(), 'text/html'));
    return now !== undefined && now !== codeOf(document);
  } catch {
    return false;
  }
}

/**
 * Why a worker failed, as the end of a sentence. Without a message its code did not come: the browser does not say why.
 */
export const failureOf = (e: ErrorEvent | Event): string =>
  (e instanceof ErrorEvent && e.message) || 'that part of Ferrule did not come from the server; load the page anew';
