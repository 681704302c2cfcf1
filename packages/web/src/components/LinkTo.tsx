/**
 * A link to another program that gives inputs and takes outputs: how it stands, what comes over it, and what it needs.
 */
import { useState } from 'react';
import { COLOUR, Certificates, type LinkState } from './OpenProtocols.js';
import { Button } from './ui.js';
import { durationText } from './values.js';

/** In one line. */
export function linkWords(of: LinkState): string {
  const good = of.points.filter((p) => p.quality !== 'bad').length;
  switch (of.state) {
    case 'off':
      return 'Not joined: inputs stay as they are, and can be worked by hand.';
    case 'joining':
      return `Joining ${of.address} …`;
    case 'on':
      return `Joined ${of.address} for ${durationText(of.forMs)} · ${good.toLocaleString('en')} of ${of.points.length.toLocaleString('en')} points good`;
    case 'away':
      return `${of.address} is away: ${of.why ?? 'no reason given'}. Connected inputs are at their fallback values; it is tried again every second.`;
  }
}
export const linkColour = (of: LinkState): string =>
  of.state === 'on'
    ? of.points.every((p) => p.quality === 'good')
      ? 'text-good'
      : 'text-copper-ink'
    : of.state === 'away'
      ? 'text-bad'
      : 'text-soft';

export function LinkTo(props: {
  readonly of: LinkState;
  readonly trust: (thumbprint: string, isTrusted: boolean) => void;
  readonly setPassword: (password: string) => void;
}) {
  const { of } = props;
  return (
    <section aria-label="Outside I/O" className="flex flex-col gap-2">
      <p role="status" className={`font-semibold ${linkColour(of)}`}>
        {linkWords(of)}
      </p>
      {of.needsPassword && <Password set={props.setPassword} />}
      {of.points.length > 0 && (
        <div tabIndex={0} className="overflow-x-auto">
          <table className="w-full border-collapse text-left">
            <thead>
              <tr className="text-soft">
                {['Tag', '', 'Item', 'Value', 'Quality'].map((h) => (
                  <th key={h} scope="col" className={`${CELL} font-normal`}>
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {of.points.map((p) => (
                <tr key={p.path}>
                  <td className={`${CELL} font-mono text-[12px]`}>{p.path}</td>
                  <td className={`${CELL} text-soft`}>{p.isInput ? 'from' : 'to'}</td>
                  <td className={`${CELL} font-mono text-[12px]`}>{p.item}</td>
                  <td className={`${CELL} max-w-40 truncate font-mono text-[12px]`}>{p.value}</td>
                  <td className={`${CELL} ${COLOUR[p.quality]}`}>
                    {p.quality}
                    {p.why !== undefined && <span className="text-soft"> · {p.why}</span>}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <Certificates of={of.certificates} trust={props.trust} />
    </section>
  );
}
const CELL = 'border-b border-edge px-1.5 py-1';

/** Told where it is kept; it is no part of the project. */
export function Password({ set }: { readonly set: (password: string) => void }) {
  const [password, setPassword] = useState('');
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        set(password);
        setPassword('');
      }}
    >
      <input
        aria-label="Password there"
        type="password"
        placeholder="password there"
        className="h-7 w-40 rounded-md border border-edge bg-sheet px-2"
        value={password}
        maxLength={200}
        autoComplete="new-password"
        onKeyDown={(e) => e.stopPropagation()}
        onChange={(e) => setPassword(e.target.value)}
      />
      <Button tight type="submit" disabled={!password}>
        Keep
      </Button>
    </form>
  );
}
