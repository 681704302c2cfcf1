/** The picture of an own device, from shapes whose numbers are expressions over its variables. */
import { Plus, Trash2 } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { OwnKind, PictureShape } from '@ferrule/core/document';
import { readPicture } from '@ferrule/core/machine';
import { Shape } from '../../components/machine/own-picture.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { newId } from '../../document/store.js';
import { Choice, Field } from './own-fields.js';

/** Fields that each shape has, beside its place. */
const FIELDS: Readonly<
  Record<PictureShape['shape'], readonly (readonly ['w' | 'h' | 'turn' | 'fill' | 'lit' | 'text', string])[]>
> = {
  box: [
    ['w', 'width'],
    ['h', 'height'],
    ['turn', 'turned'],
    ['lit', 'lit by'],
  ],
  round: [
    ['w', 'diameter'],
    ['lit', 'lit by'],
  ],
  line: [
    ['w', 'to right'],
    ['h', 'down'],
    ['turn', 'turned'],
    ['lit', 'lit by'],
  ],
  lamp: [
    ['w', 'diameter'],
    ['lit', 'lit by'],
  ],
  bar: [
    ['w', 'width'],
    ['h', 'height'],
    ['fill', 'filled, 0–1'],
  ],
  text: [
    ['text', 'text, {Level:1}'],
    ['lit', 'strong by'],
  ],
};

export function PictureEditor({
  kind,
  onChange,
}: {
  readonly kind: OwnKind;
  readonly onChange: (to: Partial<OwnKind>) => void;
}) {
  const { shapes, problems } = useMemo(() => readPicture(kind), [kind]);
  // How it looks with the values it is tried with here; in the machine it follows the bench.
  const [tried, setTried] = useState(0.3);
  const read = (v: string) => {
    const p = kind.parameters.find((x) => x.name.toLowerCase() === v.toLowerCase());
    return p && Number.isFinite(Number(p.initial)) ? Number(p.initial) : tried;
  };
  const set = (i: number, to: PictureShape) => onChange({ picture: kind.picture.map((s, k) => (k === i ? to : s)) });
  const field = (s: PictureShape, i: number, name: keyof Omit<PictureShape, 'id' | 'shape'>, said: string) => {
    const wrong = problems.find((p) => p.shape === s.id && p.field === name);
    return (
      <label key={name} className="flex min-w-0 flex-1 items-center gap-1" title={wrong?.message}>
        <span className={`shrink-0 text-[11px] ${wrong ? 'text-bad' : 'text-faint'}`}>{said}</span>
        <EditInPlace
          mono
          value={s[name] ?? ''}
          label={`${said} of shape ${i + 1}`}
          className={wrong ? 'text-bad' : ''}
          onCommit={(text) => {
            if (name === 'x' || name === 'y') set(i, { ...s, [name]: text || '0' });
            else {
              const { [name]: _, ...rest } = s;
              set(i, text ? { ...rest, [name]: text } : rest);
            }
          }}
        />
      </label>
    );
  };
  return (
    <section aria-label="Picture" className="mt-3">
      <h3 className="text-[12px] font-semibold text-soft">Picture</h3>
      <div className="flex gap-3">
        <figure className="shrink-0">
          <svg
            role="img"
            aria-label={`Picture of ${kind.type}`}
            viewBox={`${-kind.width / 2 - 4} -80 ${kind.width + 8} 150`}
            style={{ width: (kind.width + 8) * 1.2, height: 180 }}
            className="rounded-md border border-edge bg-sheet"
          >
            <path
              d={`M${-kind.width / 2} 0H${kind.width / 2}M0 -74V60`}
              className="stroke-edge"
              strokeWidth={0.6}
              strokeDasharray="2 3"
            />
            {shapes.map((s) => (
              // Numbers of pieces go to ten where other values go to one.
              <Shape key={s.id} shape={s} read={read} counts={(v) => (read(v) === tried ? 10 * tried : read(v))} />
            ))}
          </svg>
          <figcaption className="mt-1 flex items-center gap-2 text-[11.5px] text-soft">
            <label className="flex items-center gap-1.5">
              all values at{' '}
              <input
                type="range"
                aria-label="All values at"
                min={0}
                max={1}
                step={0.05}
                value={tried}
                onChange={(e) => setTried(Number(e.target.value))}
                className="w-24 accent-[var(--copper)]"
              />
            </label>
            {tried}
          </figcaption>
          <label className="mt-1 flex items-center gap-1.5 text-[11.5px] text-soft">
            room along the flow{' '}
            <Field
              label="Room along the flow"
              width="w-14"
              value={String(kind.width)}
              onCommit={(t) => {
                const n = Number(t);
                if (!(n >= 20 && n <= 600)) return 'The room along the flow goes from 20 to 600.';
                onChange({ width: n });
                return undefined;
              }}
            />
          </label>
        </figure>
        <div className="min-w-0 flex-1">
          <ul>
            {kind.picture.map((s, i) => (
              <li key={s.id} className="border-t border-edge/60 py-0.5">
                <div className="flex items-center gap-1.5">
                  <span className="w-4 text-right font-mono text-[11px] text-faint">{i + 1}</span>
                  <Choice
                    label={`Shape ${i + 1}`}
                    value={s.shape}
                    of={{ box: 'box', round: 'round', line: 'line', bar: 'bar', lamp: 'lamp', text: 'text' }}
                    onChange={(shape) => set(i, { ...s, shape: shape as 'box' })}
                  />
                  {field(s, i, 'x', 'x')}
                  {field(s, i, 'y', 'y')}
                  {field(s, i, 'show', 'shown while')}
                  {field(s, i, 'times', 'times')}
                  <button
                    aria-label={`Delete shape ${i + 1}`}
                    onClick={() => onChange({ picture: kind.picture.filter((_, k) => k !== i) })}
                    className="text-faint hover:text-bad"
                  >
                    <Trash2 size={12} />
                  </button>
                </div>
                <div className="flex gap-1.5 pl-6">
                  {FIELDS[s.shape].map(([name, said]) => field(s, i, name, said))}
                </div>
                {problems
                  .filter((p) => p.shape === s.id)
                  .map((p) => (
                    <p key={p.field} className="pl-6 text-[11.5px] text-bad">
                      {p.field}: {p.message}
                    </p>
                  ))}
              </li>
            ))}
          </ul>
          <div className="mt-1 flex flex-wrap gap-1">
            {(['box', 'round', 'line', 'bar', 'lamp', 'text'] as const).map((shape) => (
              <Button
                key={shape}
                tight
                onClick={() =>
                  onChange({
                    picture: [
                      ...kind.picture,
                      { id: newId('s'), shape, x: '0', y: '0', ...(shape === 'text' ? { text: 'text' } : {}) },
                    ],
                  })
                }
              >
                <Plus size={11} />
                {shape}
              </Button>
            ))}
          </div>
          <p className="mt-1 text-[11.5px] text-soft">
            Every number can be an expression over the device’s variables, like{' '}
            <span className="font-mono">20 + 40 * Position</span>; x goes right, y down, 0 0 is the middle. A shape is
            drawn as often as <i>times</i> says; <span className="font-mono">Nth</span> is the number of each, from 1:
            one box a part, in rows of three, is x <span className="font-mono">30 * ((Nth - 1) MOD 3)</span>.
          </p>
        </div>
      </div>
    </section>
  );
}
