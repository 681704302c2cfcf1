export {
  type Done,
  type Pool,
  QueueProblem,
  type Share,
  type Watch,
  type Work,
  doShare,
  playAll,
  proveAll,
  searchAll,
  tryChanges,
} from './shares.js';
