/** What a kind of device is: its behaviour in structured text and its description for wiring, panel and view. */
export interface Terminal { readonly name: string; readonly type: 'BOOL' | 'REAL' | 'UINT' | 'INT'; readonly direction: 'in' | 'out'; readonly help: string }
export interface Parameter { readonly name: string; readonly type: string; readonly initial: string; readonly unit?: string; readonly help: string }
/** Something going wrong on purpose: a BOOL of the block that is set from outside. */
export interface Upset { readonly name: string; readonly help: string }
/** What a person does to a device on the panel: a variable of the block that is written from outside. */
export interface Handle { readonly name: string; readonly type: 'press' | 'turn' | 'latch' | 'number'; readonly help: string }

export interface DeviceKind {
  readonly type: string;
  readonly help: string;
  /** Electrical terminals, wired to tags or, for mechanical effects, to another device's output. */
  readonly terminals: readonly Terminal[];
  readonly parameters: readonly Parameter[];
  readonly upsets: readonly Upset[];
  readonly handles: readonly Handle[];
  /** Body and inner variables; terminals, parameters, upsets and handles are declared from the lists above. */
  readonly locals: string;
  readonly body: string;
}

/** The device as a function block. Its instances live in the program `Machine`. */
export function deviceBlock(k: DeviceKind): string {
  const of = (direction: 'in' | 'out') => k.terminals.filter((t) => t.direction === direction).map((t) => `  ${t.name} : ${t.type};`).join('\n');
  const given = [
    ...k.parameters.map((p) => `  ${p.name} : ${p.type} := ${p.initial};`),
    ...k.upsets.map((u) => `  ${u.name} : BOOL;`),
    ...k.handles.map((h) => `  ${h.name} : ${h.type === 'number' ? 'REAL' : 'BOOL'};`),
  ].join('\n');
  return `FUNCTION_BLOCK ${deviceBlockName(k.type)}
VAR_INPUT
${of('in')}
${given}
END_VAR
VAR_OUTPUT
${of('out')}
END_VAR
VAR
  Dt : REAL; (* seconds since the last scan *)
${k.locals}
END_VAR
Dt := TIME_TO_REAL(__STEP()) / 1000.0;
${k.body}
END_FUNCTION_BLOCK
`;
}

export const deviceBlockName = (type: string): string => `Device_${type}`;
