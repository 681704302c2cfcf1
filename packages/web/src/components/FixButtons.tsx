/** What mends a problem, as buttons beside it. */
import type { Fix } from '@ferrule/core/workspace';
import { Button } from './ui.js';

const FIX_KEYS = ['Ctrl+.', 'Ctrl+⇧.'];
/** What mends a problem, each with what it does; keys only where they mean this problem. */
export function FixButtons({
  fixes,
  hasKeys,
  onFix,
}: {
  readonly fixes: readonly Fix[];
  readonly hasKeys: boolean;
  readonly onFix: (n: number) => void;
}) {
  return fixes.slice(0, 2).map((f, n) => (
    <Button
      key={f.label}
      look="quiet"
      tight
      tabIndex={-1}
      title={f.label}
      {...(hasKeys ? { keys: FIX_KEYS[n]! } : {})}
      onClick={() => onFix(n)}
    >
      <span className="max-w-80 truncate">{f.label}</span>
    </Button>
  ));
}
