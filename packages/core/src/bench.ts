/** `@ferrule/core/bench`: what runs: engine, history, paths, points, why, timing. */
export { type Image, type Location, MATH, type Symbol, scanStep, branchProbe } from './compile/image.js';
export {
  Engine,
  type EngineOptions,
  type Fault,
  type Force,
  type Halt,
  type Snapshot,
  type Wire,
  DEFAULT_WATCHDOG,
  type FaultRecord,
} from './runtime/engine.js';
export { type BenchEvent, type Beginning, type Course, performOn } from './runtime/stretch.js';
export { History, type Stops } from './runtime/history.js';
export { HISTORY_BUDGET, type Line } from './runtime/lines.js';
export type { Change, Past } from './runtime/past.js';
export type { ValueSpan } from './runtime/traces.js';
export {
  type Frame,
  type FrameRequest,
  type ShownValue,
  frameOf,
  parseFrameRequest,
  powerOf,
  shown,
} from './runtime/frame.js';
export { type FirstOn, type FirstScans, type ProfilePart, firstScans, profileScan } from './runtime/profile.js';
export { type SwapPreview, previewSwap } from './runtime/preview.js';
export { cyclesToCsv } from './timing/csv.js';
export { type Ending, endingsOf, expectedMs } from './timing/ended.js';
export { type ChainLink, type Track, type Waiting, longestChain, waitings } from './timing/longest.js';
export {
  type Cycle,
  type Cycles,
  type Spread,
  type StepSpan,
  type StepTiming,
  cyclesOf,
  homeOf,
  spansOf,
  spreadOf,
  stepTimings,
} from './timing/steps.js';
export { type StepTag, readValueNames, stepTags, wholeNumbers } from './timing/tracks.js';
export { type Renamed, forcesAfter, renamedText } from './runtime/renamed.js';
export {
  type RetainedPlace,
  retainedLayout,
  retainedPlaces,
  transferBy,
  transferPlan,
  type TransferPlan,
  transferState,
  type Transferred,
} from './runtime/transfer.js';
export {
  type Value,
  findPath,
  formatValue,
  offValue,
  parseValue,
  readLocation,
  writeLocation,
  nanosecondsAsMs,
} from './runtime/paths.js';
export { why } from './why/why.js';
export type { WhyAnswer, WhyBlock, WhyLink, WhyMark, WhyPlace, WhyWriter } from './why/answer.js';
export {
  type Bound,
  type FeedState,
  type Point,
  type PointNode,
  type Quality,
  type TagNode,
  MOST_POINTS,
  mayHold,
  pointTree,
  pointsBelow,
  pointsOf,
  qualityOf,
} from './points/points.js';
export { type Card, cardWords, cardsOf, pulledForces, pulledTags } from './runtime/cards.js';
export { OUTSIDE_LOST } from './runtime/given.js';
export { type OutsideInput, OutsideInputs } from './runtime/outside-inputs.js';
export type { LinkShown, ModbusClient, OpcuaCertificate, OpcuaClient, OpcuaState, OpenShown } from './points/shown.js';
export { PointValues } from './points/point-values.js';
export {
  type Mapped,
  type ModbusMap,
  type Table as ModbusTable,
  type WordOrder,
  WORDS as MODBUS_WORDS,
  fromRegisters,
  modbusMap,
  modbusRows,
  parseItem as parseModbusItem,
  parseNumber as parseModbusNumber,
  registersOf,
  toRegisters,
} from './points/modbus-map.js';
export {
  EXCEPTION,
  QUALITY as MODBUS_QUALITY,
  type Frame as ModbusFrame,
  ModbusServer,
  frameBytes,
  framesOf as modbusFrames,
} from './points/modbus-server.js';
