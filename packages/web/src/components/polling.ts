/**
 * For what is asked for again and again: an answer that failed once is asked for again every second, not never and not
 * ever more rarely.
 */
import type { SWRConfiguration } from 'swr';

const AGAIN_MS = 1000;

export const KEEP_ASKING: SWRConfiguration = {
  shouldRetryOnError: true,
  onErrorRetry: (_error, _key, _config, revalidate, { retryCount }) => {
    setTimeout(() => void revalidate({ retryCount }), AGAIN_MS);
  },
};
