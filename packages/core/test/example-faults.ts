/**
 * Faults as people make them, seeded into the logic of the examples: a contact forgotten or inverted, a limit mistyped,
 * a coil held.
 */
export interface SeededFault {
  readonly example: string;
  readonly what: string;
  /** A piece of a rung or text, and what stands there instead. */ readonly from: string;
  readonly to: string;
}

const of = (example: string, list: readonly (readonly [string, string, string])[]): readonly SeededFault[] =>
  list.map(([what, from, to]) => ({ example, what, from, to }));

export const EXAMPLE_FAULTS: readonly SeededFault[] = [
  ...of('wire-end-crimp-cell', [
    ['no seal-in', '(StartPB | Running) & StopOK', 'StartPB & StopOK'],
    ['stop does not stop', '(StartPB | Running) & StopOK & EStopOK', '(StartPB | Running) & EStopOK'],
    [
      'runs with the guard open',
      ' & GuardShut & AutoMode & !Fault & !BatchDone -> Running',
      ' & AutoMode & !Fault & !BatchDone -> Running',
    ],
    ['a fault does not stop it', '& AutoMode & !Fault & !BatchDone -> Running', '& AutoMode & !BatchDone -> Running'],
    ['clamp lets go before the die is up', ' | ClampClose & !DieUp) -> ClampClose', ') -> ClampClose'],
    [
      'clamp open while it crimps',
      'Step = Placing | Step = Crimping | Step = Pulling) |',
      'Step = Placing | Step = Pulling) |',
    ],
    ['blade without the clamp', 'Step = Cutting & ClampShut -> BladeOut', 'Step = Cutting -> BladeOut'],
    ['dwell too short', 'Dwell(PT := 300 ms)', 'Dwell(PT := 30 ms)'],
    ['waits too long for a jam', 'StepLimit(PT := 4 s)', 'StepLimit(PT := 40 s)'],
    ['wrong fault number', 'Step = Feed -> { FaultCode := 11; }', 'Step = Feed -> { FaultCode := 12; }'],
    ['bad pieces counted as good', '^ChuteSeen & !Rejected -> { GoodTotal', '^ChuteSeen -> { GoodTotal'],
    [
      'rejects never stop it',
      'RejectRun(R := GoodPiece OR ResetPB, PV := 3)',
      'RejectRun(R := GoodPiece OR ResetPB, PV := 30)',
    ],
    ['reset does not reset', 'ResetPB -> reset Fault,', 'ResetPB & Running -> reset Fault,'],
  ]),
  ...of('dust-extractor', [
    ['saw without its gate', 'Saw1Sel & Gate1Valve & Gate1Open & FanReady', 'Saw1Sel & Gate1Valve & FanReady'],
    ['three at once', ' & (!Gate1Valve | !Gate2Valve) -> Gate3Valve', ' -> Gate3Valve'],
    [
      'emergency stop forgotten at the fan',
      'FanRunOn(PT := 8 s) & EStopOK & FanLoadOK',
      'FanRunOn(PT := 8 s) & FanLoadOK',
    ],
    [
      'a saw starts by itself after an emergency stop',
      'EStopOK & FanLoadOK & !Saw1Sel & !Saw2Sel & !Saw3Sel &',
      'EStopOK & FanLoadOK &',
    ],
    [
      'a saw starts by itself when power comes',
      'EStopOK & !Fault & !Locked & (!Gate1Valve | !Gate3Valve) -> Gate2Valve',
      'EStopOK & !Fault & (!Gate1Valve | !Gate3Valve) -> Gate2Valve',
    ],
    ['fan does not run on', 'FanRunOn(PT := 8 s)', 'FanRunOn(PT := 80 ms)'],
    [
      'saw before the fan is up',
      'FanMotor & FanTurns & FanUp(PT := 1 s) -> FanReady',
      'FanMotor & FanTurns -> FanReady',
    ],
    [
      'fan that does not turn is not told',
      'FanMotor & !FanTurns & FanWait(PT := 2 s)',
      'FanMotor & FanTurns & FanWait(PT := 2 s)',
    ],
    ['fault too late', 'FanWait(PT := 2 s)', 'FanWait(PT := 20 s)'],
    [
      'second saw on the first gate',
      'Saw2Sel & Gate2Valve & Gate2Open & FanReady',
      'Saw2Sel & Gate2Valve & Gate1Open & FanReady',
    ],
    ['filter lamp never', 'FilterDrop > 900.0', 'FilterDrop > 9000.0'],
    ['reset while a saw is asked for', 'ResetPB & !Saw1Sel & !Saw2Sel & !Saw3Sel', 'ResetPB & !Saw1Sel & !Saw3Sel'],
    [
      'saw without the fan',
      'Saw3Sel & Gate3Valve & Gate3Open & FanReady -> Saw3Motor',
      'Saw3Sel & Gate3Valve & Gate3Open -> Saw3Motor',
    ],
  ]),
  ...of('canal-lock', [
    ['lets out too soon', 'StepWas = Empty & Step = Empty & Level <= 0.05', 'StepWas = Empty & Step = Empty'],
    ['lower gates at any level', '& Level <= 0.2 & UpperShut -> LowerGates', '& UpperShut -> LowerGates'],
    ['upper gates at any level', '& Level >= 2.8 & LowerShut -> UpperGates', '& LowerShut -> UpperGates'],
    [
      'upper gates before the lower are shut',
      '& Level >= 2.8 & LowerShut -> UpperGates',
      '& Level >= 2.8 -> UpperGates',
    ],
    ['never fills', '(Step = Fill | Step = LevelAbove) &', '(Step = LevelAbove) &'],
    ['fills with the gate open', 'Step = ShutBelow & LowerShut ->', 'Step = ShutBelow ->'],
    ['fills too little', 'Step = Fill & Level >= 2.95', 'Step = Fill & Level >= 1.95'],
    [
      'green before the gate is open',
      'Step = InFromBelow & LowerOpen -> GreenBelow',
      'Step = InFromBelow -> GreenBelow',
    ],
    ['a stuck gate is not told', 'OpenBelowLimit(PT := 10 s)', 'OpenBelowLimit(PT := 10 min)'],
    [
      'emergency stop forgotten at the sluice',
      'EStopOK & !Fault & (Step = Fill | Step = LevelAbove)',
      '!Fault & (Step = Fill | Step = LevelAbove)',
    ],
    ['waits for a boat that has left', 'Step = OutAbove & !BoatInside', 'Step = OutAbove & BoatInside'],
  ]),
  ...of('ceramic-kiln', [
    [
      'both doors',
      '& OuterShut & Hottest <= 110.0 | InnerDoor & InnerWay) & !OuterDoor -> InnerDoor',
      '& Hottest <= 110.0 | InnerDoor & InnerWay) -> InnerDoor',
    ],
    ['opens hot', ' & OuterShut & Hottest <= 110.0 |', ' & OuterShut |'],
    ['heats while the limit thermostat is open', 'EStopOK & LimitOK & FanLoadOK &', 'EStopOK & FanLoadOK &'],
    ['emergency stop not in the chain', 'EStopOK & LimitOK & FanLoadOK &', 'LimitOK & FanLoadOK &'],
    [
      'arms itself',
      'ResetPB & SafetyOK & ArmDelay(PT := 500 ms) -> set Armed',
      'SafetyOK & ArmDelay(PT := 500 ms) -> set Armed',
    ],
    ['door crushes the cart', ' & EStopOK & InnerShut | OuterDoor & OuterWay)', ' & EStopOK & InnerShut)'],
    ['cart against the shut door', '& WayIn & !CartInKiln -> CartForward', '& !CartInKiln -> CartForward'],
    [
      'welded contactor not told',
      '!Mains & MainsIn & Alarm4Late(PT := 500 ms)',
      '!Mains & MainsIn & Alarm4Late(PT := 500 s)',
    ],
    ['zone 3 on the controller of zone 2', 'Zone3Power := Zones[3].Power', 'Zone3Power := 0.0'],
    ['soak forgotten', 'Soaked(IN := TRUE, PT := Now.Soak)', 'Soaked(IN := TRUE, PT := T#0s)'],
    [
      'one segment short',
      'FireSegment >= LIMIT(1, Recipes[FireNumber].Count, 6)',
      'FireSegment >= LIMIT(1, Recipes[FireNumber].Count - 1, 6)',
    ],
    ['broken firing counted as good', 'FireGood := FALSE;', ';'],
    [
      'damper shut while it cools',
      '(FireStep = Cooling | FireStep = FireBroken) & !Mains -> Damper',
      '(FireStep = FireBroken) & !Mains -> Damper',
    ],
    ['broken probe forgotten', 'ProbeBroken[1] := Zone1Measured > 1500.0', 'ProbeBroken[1] := Zone1Measured > 15000.0'],
    ['horn cannot be quieted', '& !HornQuiet & EStopOK -> Horn', '& EStopOK -> Horn'],
    ['heat without air', '& !Damper & FanRuns & !Trouble', '& !Damper & !Trouble'],
    ['heat with the door open', 'Armed & SafetyOK & InnerShut & !InnerDoor', 'Armed & SafetyOK & !InnerDoor'],
    [
      'a fault does not stop the cart',
      'Running & !Fault & (CartStep = IntoTheLock | CartStep = IntoTheKiln)',
      'Running & (CartStep = IntoTheLock | CartStep = IntoTheKiln)',
    ],
  ]),
  ...of('tile-grading-line', [
    ['no seal-in', '(StartPB | Running) & StopOK & EStopOK', 'StartPB & StopOK & EStopOK'],
    ['starts by itself', '& AutoMode & !Fault -> Running', '& AutoMode -> Running'],
    [
      'weighs while the belt runs',
      'GradeStep = Take | GradeStep = Measure',
      'GradeStep = Take | GradeStep = Weigh | GradeStep = Measure',
    ],
    ['too thick counts as heavy', 'Thick > ThickLimit -> { Grade := 3; }', 'Thick > ThickLimit -> { Grade := 2; }'],
    ['unread tiles go to lane A', '{ Grade := 3; Unread := Unread + 1;', '{ Grade := 1; Unread := Unread + 1;'],
    [
      'hands over before it has arrived',
      'GradeStep = HandOver & AtWay) -> SorterRun',
      'GradeStep = HandOver) -> SorterRun',
    ],
    ['a filled lane is a fault', '& (GradeStep <> HandOver | !WayFilled) & GradeLimit', '& GradeLimit'],
    ['nobody is called for unread tiles', 'UnreadRun >= 3', 'UnreadRun >= 30'],
    ['plate opens in the air', 'Step = OpenPlate AND Down OR', 'Step = OpenPlate OR'],
    ['by hand it opens in the air', 'Hand AND HandOpen AND Down AND Cart', 'Hand AND HandOpen'],
    ['cart leaves under the plate', 'Send := Safe AND Up AND', 'Send := Safe AND'],
    ['one layer too many', 'IF Laid >= MAX(Layers, 1)', 'IF Laid > MAX(Layers, 1)'],
    ['emergency stop forgotten at the plate', 'Lower := Safe AND (', 'Lower := ('],
    [
      'goes on with tiles on an open plate',
      'AND Step = Collect AND Up AND IsShut AND NOT Whole',
      'AND Step = Collect AND NOT Whole',
    ],
    ['carts of two lanes mixed up', 'IF StackA.Left THEN CartsA', 'IF StackB.Left THEN CartsA'],
  ]),
];
