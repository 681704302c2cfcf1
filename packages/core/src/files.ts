/** `@ferrule/core/files`: files in and out: text, XML, CSV, VCD, recordings. */
export {
  type Played,
  type RecordedEvent,
  type RunRecording,
  playRecording,
  readRecording,
  recordedStretch,
  recordRun,
} from './files/recording.js';
export {
  TAG_COLUMNS,
  type TagColumn,
  type TagReading,
  type TagRow,
  type TagRows,
  type TagTable,
  readTags,
  tagsToCsv,
} from './files/tags-csv.js';
export {
  type TextIn,
  type TextOut,
  type TextProject,
  powerPins,
  projectFromText,
  projectToText,
  readText,
} from './files/text.js';
export { type XmlOut, projectToXml } from './files/xml/write.js';
export { type XmlIn, projectFromXml } from './files/xml/read.js';
export { type Folder, folderToDocument, projectToFolder } from './files/folder.js';
export { proveToText, textToProve } from './files/prove-text.js';
export { csvLine, readStimulus, type StimulusRow } from './exchange/csv.js';
export { VcdWriter } from './exchange/vcd.js';
export { readItems } from './files/items-csv.js';
