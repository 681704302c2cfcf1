/** The answer to "why is that so": what happened, back to where it began, and what would have to change. */
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import type { WhyLink } from '@ferrule/core/bench';
import { tellBench, useBench } from '../bench/live.js';
import { addressOfPlace, askWhy, forgetWhy, useAsked } from '../components/asking.js';
import { TagPicker } from '../components/TagPicker.js';
import { Button } from '../components/ui.js';

const SHOWN = 5;

export function WhyPane() {
  const { answer, error, path } = useAsked();
  const now = useBench((s) => (answer ? (s.frame?.scan ?? 0) : 0));
  const [asking, setAsking] = useState(false);
  const [all, setAll] = useState(false);
  const jump = useJump();
  if (!path || asking)
    return (
      <div className="p-3 text-soft">
        {asking ? (
          <TagPicker
            label="Why is this tag as it is?"
            onPick={(p) => {
              setAsking(false);
              if (p) void askWhy(p);
            }}
          />
        ) : (
          <p>
            Stand on a contact, a coil or a name and press <kbd className="font-mono text-[11px]">F4</kbd>, or{' '}
            <button className="text-copper-ink underline" onClick={() => setAsking(true)}>
              name a tag
            </button>
            : the bench says why it is on, or what keeps it off.
          </p>
        )}
      </div>
    );
  if (error)
    return (
      <div className="flex items-start gap-2 p-3">
        <p role="alert" className="flex-1 text-bad">
          {error}
        </p>
        <Button look="quiet" tight onClick={forgetWhy}>
          Close
        </Button>
      </div>
    );
  if (!answer)
    return (
      <p role="status" className="p-3 text-soft">
        Looking …
      </p>
    );
  const links = all ? answer.links : answer.links.slice(0, SHOWN);
  return (
    <section aria-label={answer.title} className="px-3 py-2">
      <div className="flex items-center gap-1.5">
        <h3 className="min-w-0 flex-1 font-semibold break-words text-copper-ink">
          {answer.title} <span className="font-normal text-soft">after scan {answer.scan.toLocaleString('en')}</span>
        </h3>
        {now !== answer.scan && (
          <Button look="quiet" tight onClick={() => void askWhy(path)}>
            Ask again at {now.toLocaleString('en')}
          </Button>
        )}
        <Button look="quiet" tight onClick={() => setAsking(true)}>
          Other tag
        </Button>
        <Button look="quiet" tight onClick={forgetWhy}>
          Close
        </Button>
      </div>
      {answer.blocks.length > 0 && (
        <>
          <h4 className="mt-1 text-[11.5px] font-semibold text-soft">To come on it needs</h4>
          <ul aria-label="What it needs">
            {answer.blocks.map((b, i) => (
              <li key={i}>
                <LinkRow
                  link={b}
                  mark={b.isNearest ? '◆' : '◇'}
                  hint={b.isNearest ? 'nearest' : ''}
                  onGo={() => jump(b, false)}
                />
              </li>
            ))}
          </ul>
          <p className="text-[11px] text-faint">◆ the shortest way, ◇ on other ways</p>
        </>
      )}
      {answer.writers.length > 0 && (
        <>
          <h4 className="mt-1 text-[11.5px] font-semibold text-soft">
            Who writes it in this scan; the last one decides
          </h4>
          <ol aria-label="Who writes it in this scan">
            {answer.writers.map((w, i) => (
              <li key={i}>
                <LinkRow
                  link={w}
                  mark={w.decides ? '●' : '○'}
                  hint={w.decides ? 'decides' : ''}
                  onGo={() => jump(w, false)}
                />
              </li>
            ))}
          </ol>
        </>
      )}
      <h4 className="mt-1 text-[11.5px] font-semibold text-soft">What happened</h4>
      <ol aria-label="Chain of causes">
        {links.map((l, i) => (
          <li key={i}>
            <LinkRow link={l} mark={i ? '↑' : '●'} hint="" onGo={() => jump(l, true)} />
          </li>
        ))}
      </ol>
      {answer.links.length > links.length && (
        <Button look="quiet" tight onClick={() => setAll(true)}>
          {answer.links.length - links.length} more, back to{' '}
          {answer.links[answer.links.length - 1]!.isRoot ? 'the beginning' : 'earlier'}
        </Button>
      )}
    </section>
  );
}

function LinkRow({
  link,
  mark,
  hint,
  onGo,
}: {
  readonly link: WhyLink;
  readonly mark: string;
  readonly hint: string;
  readonly onGo: () => void;
}) {
  return (
    <button
      className="group flex w-full gap-2 rounded px-1 py-0.5 text-left hover:bg-edge/30"
      title={`Go to scan ${link.scan.toLocaleString('en')}${link.where ? `, ${link.where}` : ''}`}
      onClick={onGo}
    >
      <span aria-hidden className={mark === '◆' || mark === '●' ? 'text-copper-ink' : 'text-faint'}>
        {mark}
      </span>
      <span className="min-w-0 flex-1">
        {link.sentence}
        {hint && <span className="sr-only"> ({hint})</span>}
      </span>
      <span className="shrink-0 self-start text-[11px] text-faint group-hover:text-copper-ink">go</span>
    </button>
  );
}

/** Goes where a link speaks of: the page to the place, the bench to the scan. */
function useJump() {
  const navigate = useNavigate();
  const { id } = useParams();
  return (l: WhyLink, inTime: boolean) => {
    if (inTime && l.scan > 0) tellBench({ kind: 'goTo', scan: l.scan });
    if (l.place && id) void navigate(addressOfPlace(l.place, id));
  };
}
