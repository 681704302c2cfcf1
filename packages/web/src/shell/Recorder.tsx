/** Under the top bar while a check is recorded: what was done so far, and how to end it. */
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { askBench } from '../bench/live.js';
import { endRecording, useRecorder } from '../components/recorder.js';
import { focusField } from '../components/focus.js';
import { Button } from '../components/ui.js';
import { useDocument } from '../document/store.js';

/** Things done that are named; of those before, only their number. */
const NAMED = 3;

export function Recorder({ id }: { readonly id: string }) {
  const of = useRecorder((s) => s.of),
    navigate = useNavigate();
  const [done, setDone] = useState<readonly string[]>([]),
    [making, setMaking] = useState(false);
  useEffect(() => {
    if (of === undefined) return;
    setDone([]);
    const timer = setInterval(() => void askBench('done', {}).then(setDone), 400);
    return () => clearInterval(timer);
  }, [of]);
  if (of !== id) return null;
  const finish = async () => {
    setMaking(true);
    const made = await endRecording();
    setMaking(false);
    if ('error' in made) useDocument.setState({ refused: made.error });
    else {
      void navigate(`/projects/${id}/prove?check=${made.id}`);
      // What was made is named next.
      focusField('Name of the check');
    }
  };
  const rest = done.length - NAMED;
  return (
    <div
      role="region"
      aria-label="Recording"
      className="flex items-center gap-3 border-b border-edge bg-glow px-4 py-1.5 text-[12.5px]"
    >
      <span aria-hidden className="h-2.5 w-2.5 shrink-0 rounded-full bg-copper" />
      <b className="shrink-0 font-semibold">Recording a check</b>
      <span role="status" className="min-w-0 flex-1 truncate text-soft">
        {done.length
          ? `${rest > 0 ? `${rest} before; ` : ''}${done.slice(-NAMED).join('; ')}`
          : 'Work the panel: what you do becomes its rows, what the machine answers is proposed as what to expect.'}
      </span>
      <Button tight look="strong" disabled={making} onClick={() => void finish()}>
        {making ? 'Trying what matters …' : 'Make the check'}
      </Button>
      <Button tight disabled={making} onClick={() => useRecorder.setState({ of: undefined })}>
        Give up
      </Button>
    </div>
  );
}
