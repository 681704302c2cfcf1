/**
 * Ferrule's own blocks (product.md 6.3), in structured text like the standard's: scaling, hysteresis, ramp, PID,
 * wrapping counter, retentive on-delay, blink, two-hand control, pattern drum. Durations count in simulated time.
 */

/** One block: its text, and what its page in the help says. */
export interface LibraryBlock {
  readonly name: string;
  readonly about: string;
  /** A call of it, as an example. */ readonly use?: string;
  readonly text: string;
}

export const OWN_BLOCKS: readonly LibraryBlock[] = [
  {
    name: 'SCALE',
    about: 'A number of one range in another range, as from the counts of an input card to bar.',
    use: 'Scaled(IN := INT_TO_REAL(Raw), IN_LOW := 0.0, IN_HIGH := 27648.0, OUT_LOW := 0.0, OUT_HIGH := 10.0); Pressure := Scaled.OUT;',
    text: `
FUNCTION_BLOCK SCALE
VAR_INPUT
  IN : REAL;
  IN_LOW : REAL := 0.0; IN_HIGH : REAL := 100.0;    (* what comes in *)
  OUT_LOW : REAL := 0.0; OUT_HIGH : REAL := 100.0;  (* what it stands for *)
  CLAMP : BOOL := TRUE;                             (* never beyond the ends *)
END_VAR
VAR_OUTPUT OUT : REAL; OUTSIDE : BOOL; END_VAR
IF IN_HIGH = IN_LOW THEN
  OUT := OUT_LOW; OUTSIDE := TRUE;
ELSE
  OUT := OUT_LOW + (IN - IN_LOW) * (OUT_HIGH - OUT_LOW) / (IN_HIGH - IN_LOW);
  OUTSIDE := IN < MIN(IN_LOW, IN_HIGH) OR IN > MAX(IN_LOW, IN_HIGH);
  IF CLAMP THEN OUT := LIMIT(MIN(OUT_LOW, OUT_HIGH), OUT, MAX(OUT_LOW, OUT_HIGH)); END_IF;
END_IF;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'HYSTERESIS',
    about: 'On above one limit, off below another: no chatter in between.',
    use: 'Cooling(IN := Temperature, ON_ABOVE := 80.0, OFF_BELOW := 75.0); Fan := Cooling.Q;',
    text: `
FUNCTION_BLOCK HYSTERESIS
VAR_INPUT IN : REAL; ON_ABOVE : REAL; OFF_BELOW : REAL; END_VAR
VAR_OUTPUT Q : BOOL; WRONG : BOOL; END_VAR
WRONG := OFF_BELOW > ON_ABOVE;      (* the limits are the wrong way round *)
IF WRONG THEN Q := FALSE;
ELSIF IN > ON_ABOVE THEN Q := TRUE;
ELSIF IN < OFF_BELOW THEN Q := FALSE;
END_IF;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'RAMP',
    about: 'Follows a set-point no faster than so much a second.',
    use: 'SpeedRamp(IN := SetSpeed, UP := 50.0, DOWN := 100.0); Drive := SpeedRamp.OUT;',
    text: `
FUNCTION_BLOCK RAMP
VAR_INPUT
  IN : REAL;
  UP : REAL := 10.0; DOWN : REAL := 10.0;   (* units a second *)
  HOLD : BOOL;                              (* stays where it is *)
  JUMP : BOOL; TARGET : REAL;               (* is there at once *)
END_VAR
VAR_OUTPUT OUT : REAL; DONE : BOOL; END_VAR
VAR Before : TIME; Called : BOOL; END_VAR
VAR_TEMP Seconds : REAL; END_VAR
(* Since the call before, whatever task it is in. *)
Seconds := SEL(Called, REAL#0.0, TIME_TO_REAL(__NOW() - Before) / 1000.0);
Before := __NOW(); Called := TRUE;
IF JUMP THEN OUT := TARGET;
ELSIF NOT HOLD THEN
  IF OUT < IN THEN OUT := MIN(OUT + ABS(UP) * Seconds, IN);
  ELSE OUT := MAX(OUT - ABS(DOWN) * Seconds, IN);
  END_IF;
END_IF;
DONE := OUT >= IN AND OUT <= IN;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'PID',
    about:
      'A controller with proportional, integral and derivative part; the integral stops at the limits, and it takes over from manual without a jump.',
    use: 'Heat(PV := Temperature, SP := Wanted, KP := 2.0, TI := T#60s, TD := T#5s, LOW := 0.0, HIGH := 100.0); Valve := Heat.OUT;',
    text: `
FUNCTION_BLOCK PID
VAR_INPUT
  PV : REAL;                          (* what is measured *)
  SP : REAL;                          (* what is wanted *)
  KP : REAL := 1.0;                   (* output for each unit of difference *)
  TI : TIME := T#0s;                  (* integral time; 0 for none *)
  TD : TIME := T#0s;                  (* derivative time; 0 for none *)
  LOW : REAL := 0.0; HIGH : REAL := 100.0;
  MANUAL : BOOL; BY_HAND : REAL;      (* the output is given *)
END_VAR
VAR_OUTPUT OUT : REAL; DIFFERENCE : REAL; AT_LIMIT : BOOL; END_VAR
VAR Integral : REAL; Last : REAL; Before : TIME; Started : BOOL; END_VAR
VAR_TEMP Seconds : REAL; P : REAL; D : REAL; Whole : REAL; END_VAR
(* Since the call before, whatever task it is in. *)
Seconds := SEL(Started, REAL#0.0, TIME_TO_REAL(__NOW() - Before) / 1000.0);
Before := __NOW();
DIFFERENCE := SP - PV;
P := KP * DIFFERENCE;
(* On the measured value, so that a step of the set-point does not kick. *)
D := 0.0;
IF Started AND TD > T#0s AND Seconds > 0.0 THEN D := KP * (TIME_TO_REAL(TD) / 1000.0) * (Last - PV) / Seconds; END_IF;
IF MANUAL THEN
  OUT := LIMIT(LOW, BY_HAND, HIGH);
  Integral := OUT - P;
ELSE
  Whole := P + Integral + D;
  (* Only while it leads back from a limit, or there is none. *)
  IF TI > T#0s AND NOT (Whole >= HIGH AND DIFFERENCE * KP > 0.0) AND NOT (Whole <= LOW AND DIFFERENCE * KP < 0.0) THEN
    Integral := Integral + P * Seconds / (TIME_TO_REAL(TI) / 1000.0);
  END_IF;
  OUT := LIMIT(LOW, P + Integral + D, HIGH);
END_IF;
IF TI <= T#0s AND NOT MANUAL THEN Integral := 0.0; END_IF;
AT_LIMIT := OUT <= LOW OR OUT >= HIGH;
Last := PV; Started := TRUE;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'WRAP_COUNTER',
    about: 'Counts up and starts again at 0 behind the last number, as places of a turntable or steps of a cycle.',
    use: 'Place(CU := IndexDone, PV := 8); CurrentPlace := Place.CV;',
    text: `
FUNCTION_BLOCK WRAP_COUNTER
VAR_INPUT CU : BOOL; R : BOOL; PV : INT := 10; END_VAR   (* counts 0 to PV - 1 *)
VAR_OUTPUT CV : INT; WRAPPED : BOOL; END_VAR             (* on for the call in which it starts again *)
VAR CuWas : BOOL; END_VAR
WRAPPED := FALSE;
IF R THEN CV := 0;
ELSIF CU AND NOT CuWas THEN
  CV := CV + 1;
  IF CV >= PV THEN CV := 0; WRAPPED := TRUE; END_IF;
END_IF;
CuWas := CU;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'RETENTIVE_DELAY',
    about: 'An on-delay that keeps its time while IN is off, until it is reset: hours of running, time of cooling.',
    use: 'Worked(IN := Motor, PT := T#200h, R := Serviced); ServiceDue := Worked.Q;',
    text: `
FUNCTION_BLOCK RETENTIVE_DELAY
VAR_INPUT IN : BOOL; R : BOOL; PT : TIME; END_VAR
VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR
VAR Since : TIME; Was : BOOL; END_VAR
IF R THEN ET := T#0s;
ELSIF IN AND Was AND NOT Q THEN ET := MIN(ET + (__NOW() - Since), PT);
END_IF;
Since := __NOW();
Was := IN AND NOT R;
Q := ET >= PT AND NOT R;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'BLINK',
    about: 'On and off in turn while it is enabled, on first.',
    use: 'Slow(IN := Fault, ON_TIME := T#500ms, OFF_TIME := T#500ms); FaultLamp := Slow.Q;',
    text: `
FUNCTION_BLOCK BLINK
VAR_INPUT IN : BOOL; ON_TIME : TIME := T#500ms; OFF_TIME : TIME := T#500ms; END_VAR
VAR_OUTPUT Q : BOOL; END_VAR
VAR Since : TIME; Was : BOOL; END_VAR
IF NOT IN THEN Q := FALSE;
ELSIF NOT Was THEN Q := TRUE; Since := __NOW();
ELSIF Q AND __NOW() - Since >= ON_TIME THEN Q := FALSE; Since := __NOW();
ELSIF NOT Q AND __NOW() - Since >= OFF_TIME THEN Q := TRUE; Since := __NOW();
END_IF;
Was := IN;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'TWO_HAND',
    about:
      'On only when both buttons are pressed within a short time of each other; both must be let go before it works again.',
    use: 'Hands(LEFT_HAND := LeftPB, RIGHT_HAND := RightPB, WITHIN := T#500ms); Press := Hands.Q;',
    text: `
FUNCTION_BLOCK TWO_HAND
VAR_INPUT LEFT_HAND : BOOL; RIGHT_HAND : BOOL; WITHIN : TIME := T#500ms; END_VAR
VAR_OUTPUT Q : BOOL; TOO_LATE : BOOL; END_VAR
VAR Since : TIME; Began : BOOL; Blocked : BOOL; END_VAR
IF NOT LEFT_HAND AND NOT RIGHT_HAND THEN
  Q := FALSE; Began := FALSE; Blocked := FALSE; TOO_LATE := FALSE;
ELSE
  IF NOT Began THEN Began := TRUE; Since := __NOW(); END_IF;
  IF LEFT_HAND AND RIGHT_HAND THEN
    IF NOT Blocked AND NOT Q THEN
      IF __NOW() - Since <= WITHIN THEN Q := TRUE; ELSE TOO_LATE := TRUE; Blocked := TRUE; END_IF;
    END_IF;
  ELSE
    (* One hand let go: from now on both must go. *)
    IF Q THEN Blocked := TRUE; END_IF;
    Q := FALSE;
  END_IF;
END_IF;
END_FUNCTION_BLOCK`,
  },
  {
    name: 'DRUM',
    about:
      'A table of output patterns: each step puts its pattern out through the mask, and lasts its time or until it is moved on.',
    use: 'Wash(RUN := Washing, STEPS := 3, PATTERNS := WashPatterns, TIMES := WashTimes, MASK := 16#000F); Valves := Wash.OUT;',
    text: `
FUNCTION_BLOCK DRUM
VAR_INPUT
  RUN : BOOL; R : BOOL;
  NEXT : BOOL;                     (* moves on at its rise, before the time is over *)
  STEPS : INT := 1;                (* steps of the table that are used *)
  MASK : WORD := 16#FFFF;          (* outputs that the drum drives *)
END_VAR
VAR_IN_OUT
  PATTERNS : ARRAY [*] OF WORD;    (* one a step *)
  TIMES : ARRAY [*] OF TIME;       (* 0: waits for NEXT *)
END_VAR
VAR_OUTPUT OUT : WORD; STEP : INT := 1; ET : TIME; DONE : BOOL; END_VAR
VAR Since : TIME; Was : BOOL; NextWas : BOOL; END_VAR
VAR_TEMP Place : DINT; END_VAR
IF R THEN STEP := 1; DONE := FALSE; Was := FALSE; ET := T#0s; END_IF;
IF RUN AND NOT DONE AND NOT R THEN
  IF NOT Was THEN Since := __NOW() - ET; END_IF;
  ET := __NOW() - Since;
  Place := LOWER_BOUND(TIMES, 1) + STEP - 1;
  IF (NEXT AND NOT NextWas) OR (TIMES[Place] > T#0s AND ET >= TIMES[Place]) THEN
    ET := T#0s; Since := __NOW();
    IF STEP >= STEPS THEN DONE := TRUE; ELSE STEP := STEP + 1; END_IF;
  END_IF;
END_IF;
Was := RUN; NextWas := NEXT;
IF DONE OR NOT RUN THEN OUT := 0; ELSE OUT := PATTERNS[LOWER_BOUND(PATTERNS, 1) + STEP - 1] AND MASK; END_IF;
END_FUNCTION_BLOCK`,
  },
];
