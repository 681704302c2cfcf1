/** The picture of an own device, drawn from its shapes. */
import { type DrawnShape, MOST_TIMES, NTH, readPicture } from '@ferrule/core/machine';
import type { OwnKind } from '@ferrule/core/document';
import { Label, type Picture, type Read } from './drawing.js';

const made = new WeakMap<OwnKind, Picture>();
export function ownPicture(k: OwnKind): Picture {
  let p = made.get(k);
  if (!p) {
    const { shapes, reads } = readPicture(k);
    p = {
      width: k.width,
      reads: reads.length ? reads : ['Dt'],
      draw: (read, label) => (
        <g>
          {shapes.map((s) => (
            <Shape key={s.id} shape={s} read={read} />
          ))}
          <Label y={shapes.length ? 62 : 6} text={label} />
        </g>
      ),
    };
    made.set(k, p);
  }
  return p;
}

/** A shape, as often as it says; `counts` reads what it is counted by, where that is something else. */
export function Shape({
  shape,
  read,
  counts = read,
}: {
  readonly shape: DrawnShape;
  readonly read: Read;
  readonly counts?: Read;
}) {
  const times = Math.min(MOST_TIMES, Math.max(0, Math.trunc(shape.times(counts)) || 0));
  return Array.from({ length: times }, (_, i) => (
    <OneShape key={i} shape={shape} read={(v) => (v === NTH ? i + 1 : read(v))} />
  ));
}
function OneShape({ shape: s, read }: { readonly shape: DrawnShape; readonly read: Read }) {
  if (s.show(read) === 0) return null;
  const finite = (n: number) => (Number.isFinite(n) ? n : 0);
  const [x, y, w, h, turn] = [s.x, s.y, s.w, s.h, s.turn].map((f) => finite(f(read))) as [
    number,
    number,
    number,
    number,
    number,
  ];
  const lit = s.lit(read) !== 0,
    filled = lit ? 'fill-glow stroke-copper' : 'fill-sheet stroke-soft';
  const place = `translate(${x},${y})${turn ? ` rotate(${turn})` : ''}`;
  switch (s.shape) {
    case 'box':
      return (
        <rect
          transform={place}
          x={-Math.abs(w) / 2}
          y={-Math.abs(h) / 2}
          width={Math.abs(w)}
          height={Math.abs(h)}
          rx={3}
          className={filled}
          strokeWidth={1.5}
        />
      );
    case 'round':
      return <circle transform={place} r={Math.abs(w) / 2} className={filled} strokeWidth={1.5} />;
    case 'line':
      return (
        <path
          transform={place}
          d={`M0 0l${w} ${h}`}
          className={lit ? 'stroke-copper' : 'stroke-soft'}
          strokeWidth={lit ? 3.5 : 2.5}
        />
      );
    case 'lamp':
      return (
        <circle
          transform={place}
          r={Math.abs(w) / 2}
          className={lit ? 'fill-copper stroke-copper' : 'fill-sheet stroke-soft'}
          strokeWidth={1.3}
        />
      );
    case 'bar': {
      const up = Math.min(1, Math.max(0, finite(s.fill(read)))) * Math.abs(h);
      return (
        <g transform={place}>
          <rect
            x={-Math.abs(w) / 2}
            y={Math.abs(h) / 2 - up}
            width={Math.abs(w)}
            height={up}
            className="fill-copper"
            opacity={0.6}
          />
          <rect
            x={-Math.abs(w) / 2}
            y={-Math.abs(h) / 2}
            width={Math.abs(w)}
            height={Math.abs(h)}
            rx={2}
            fill="none"
            className={lit ? 'stroke-copper' : 'stroke-ink'}
            strokeWidth={1.5}
          />
        </g>
      );
    }
    case 'text':
      return (
        <text
          transform={place}
          textAnchor="middle"
          className={`text-[11px] ${lit ? 'fill-copper-ink font-semibold' : 'fill-ink'}`}
        >
          {s.text(read)}
        </text>
      );
  }
}
