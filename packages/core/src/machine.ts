/** `@ferrule/core/machine`: kinds of devices, wiring, floor, pictures. */
export { isBoughtClosed, placeNames } from './wiring/kinds.js';
export {
  type DeviceKind,
  type Handle,
  type Parameter,
  type Terminal,
  type TerminalType,
  type Upset,
  LINE,
  LINE_PARTS,
  LOAD,
  LOAD_LAYERS,
  LOAD_PARTS,
  PART,
  PART_TYPES,
  deviceBlock,
  deviceParts,
  devicePieceAt,
  limitsOf,
} from './machine/device.js';
export {
  type DrawnShape,
  type PictureProblem,
  type ReadPicture,
  MOST_TIMES,
  NTH,
  readPicture,
} from './wiring/picture.js';
export {
  type Floor,
  type FloorLink,
  type FloorPlace,
  type FloorSpot,
  floorLinks,
  layOutFloor,
  placeDevice,
  spotAt,
} from './wiring/floor.js';
export { type Loose, linkEnds, looseEnds, snapLinks, snapOnto, tagNameFor, wiresThatMatch } from './wiring/wiring.js';
export { DEVICE_GROUPS, DEVICE_KINDS } from './machine/library.js';
export { kindOf } from './wiring/kinds.js';
export { chanceUpset, upsetsOf } from './wiring/chance.js';
