export type { PointSource, SourcePoints } from './source.js';
export { type Open, OpenProtocols, OpenRefusal, type OpenShown } from './open-protocols.js';
