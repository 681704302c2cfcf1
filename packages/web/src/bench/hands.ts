/** What comes from outside the program on the bench: inputs worked by hand, forces, pulses, ramps, whole recordings. */
import { type BenchEvent, findPath, parseValue } from '@ferrule/core/bench';
import { baseOf } from '@ferrule/core/language';
import type { Loaded } from './loaded.js';
import type { EventText, FromBench, ToBench } from './protocol.js';

export class Hands {
  /** Buttons pressed since the last scan, with the scan. */
  private readonly pressed = new Map<string, number>();

  constructor(
    private readonly loaded: Loaded,
    private readonly post: (m: FromBench) => void,
  ) {}

  /** What a text stands for; words where it is none. */
  eventOf(e: EventText): BenchEvent | string {
    if (e.kind === 'releaseAll') return e;
    const found = findPath(this.loaded.image!, e.path);
    if ('error' in found) return found.error;
    if (e.kind === 'force' && e.value === undefined)
      return { kind: 'force', path: e.path, ...(e.by ? { by: e.by } : {}) };
    const v = parseValue(found.location.type, e.value!);
    return 'error' in v ? v.error : { kind: e.kind, path: e.path, value: v.value };
  }

  /** Several events before the same scan; when one cannot be, none is, which is said. */
  apply(events: readonly EventText[]): boolean {
    const { history } = this.loaded;
    if (!history) return false;
    const made = events.map((e) => this.eventOf(e));
    const wrong = made.find((m) => typeof m === 'string');
    if (wrong !== undefined) {
      this.post({ kind: 'refused', message: wrong as string });
      return false;
    }
    if (history.engine.fault && history.now === history.end) {
      this.post({
        kind: 'refused',
        message:
          'Nothing happens: the bench stands at its fault. Mend the logic, go back before it or restart; inputs work again then.',
      });
      return false;
    }
    history.applyAll(made as BenchEvent[]);
    return true;
  }

  /** Another program writes. It does not turn back time: while the past is shown there is nothing to write to. */
  writeFromOutside({ n, path, value }: Extract<ToBench, { kind: 'outsideWrite' }>): void {
    const { history } = this.loaded,
      event = history ? this.eventOf({ kind: 'write', path, value }) : 'Nothing runs on the bench.',
      error =
        typeof event === 'string'
          ? event
          : history!.now < history!.end
            ? 'The bench shows an earlier scan.'
            : history!.engine.fault
              ? 'The logic has faulted.'
              : undefined;
    if (error === undefined) history!.applyAll([event as BenchEvent]);
    this.post({ kind: 'outsideWritten', n, ...(error === undefined ? {} : { error }) });
  }

  /**
   * A button that is let go before any scan has seen it pressed stays pressed for that scan: no tap is too short.
   * Returns whether letting go has been put off for that.
   */
  letGoLater(e: EventText): boolean {
    const { history } = this.loaded;
    if (!history || e.kind !== 'write' || !/^Machine\./i.test(e.path)) return false;
    if (e.value !== '0') {
      this.pressed.set(e.path, history.now);
      return false;
    }
    const event = this.eventOf(e),
      isUnseen = this.pressed.get(e.path) === history.now && history.now === history.end;
    this.pressed.delete(e.path);
    if (!isUnseen || typeof event === 'string') return false;
    history.schedule(1, event);
    return true;
  }

  /**
   * A held button comes up. The bench may have stopped while it was held, which is how a stop is met by hand: inside a
   * scan it stands where it stood, and the button comes up when that scan is over.
   */
  letGo(e: EventText): void {
    if (this.letGoLater(e)) return;
    const event = this.eventOf(e),
      { history } = this.loaded;
    if (history?.isInside && history.now + 1 >= history.end && typeof event !== 'string') history.schedule(1, event);
    else this.apply([e]);
  }

  /** A value for a time, then another: a pulse. Returns whether it began. */
  pulse(c: Extract<ToBench, { kind: 'pulse' }>): boolean {
    const { history } = this.loaded;
    if (!history) return false;
    const kind = c.force ? 'force' : 'write';
    const end = this.eventOf(
      c.force && c.then === '' ? { kind: 'force', path: c.path } : { kind, path: c.path, value: c.then },
    );
    if (typeof end === 'string') {
      this.post({ kind: 'refused', message: end });
      return false;
    }
    if (!this.apply([{ kind, path: c.path, value: c.value }])) return false;
    history.schedule(Math.max(1, Math.round(c.ms / this.loaded.scanMs)), end);
    return true;
  }

  /** From one value to another in equal steps, one a scan. Returns whether it began. */
  ramp(c: Extract<ToBench, { kind: 'ramp' }>): boolean {
    const { history, image } = this.loaded;
    if (!history) return false;
    const found = findPath(image!, c.path),
      scans = Math.min(100_000, Math.max(1, Math.round(c.ms / this.loaded.scanMs)));
    const isWhole =
      'location' in found && !['REAL', 'LREAL', 'TIME', 'LTIME'].includes(baseOf(found.location.type) ?? '');
    const text = (v: number) => String(isWhole ? Math.round(v) : Number(v.toPrecision(7)));
    const kind = c.force ? 'force' : 'write';
    if (!this.apply([{ kind, path: c.path, value: text(c.from) }])) return false;
    for (let n = 1; n <= scans; n++) {
      const e = this.eventOf({ kind, path: c.path, value: text(c.from + ((c.to - c.from) * n) / scans) });
      if (typeof e === 'string') {
        this.post({ kind: 'refused', message: e });
        break;
      }
      history.schedule(n, e);
    }
    return true;
  }

  /** Stands at a scan of a recorded run, replayed on a line of its own. */
  stand({ recording, scan, warmAt }: Extract<ToBench, { kind: 'stand' }>): void {
    const events = recording.flatMap(({ scan: at, event }) => {
      const e = this.eventOf(
        event.kind === 'write' || event.kind === 'force'
          ? ({
              kind: event.kind,
              path: event.path!,
              ...(event.value !== undefined
                ? {
                    value:
                      typeof event.value === 'boolean'
                        ? event.value
                          ? '1'
                          : '0'
                        : this.nanosecondsText(event.path!, String(event.value)),
                  }
                : {}),
            } as EventText)
          : { kind: 'releaseAll' },
      );
      return typeof e === 'string' ? [] : [{ scan: at, event: e }];
    });
    this.loaded.history?.load(events, scan, undefined, warmAt);
  }
  /** A recording holds durations in nanoseconds. */
  private nanosecondsText(path: string, value: string): string {
    const found = findPath(this.loaded.image!, path);
    const isDuration = 'location' in found && ['TIME', 'LTIME'].includes(baseOf(found.location.type) ?? '');
    return isDuration ? String(Number(value) / 1e6) : value;
  }
}
