export { OutsideLink, type OutsideTask, passwordKey } from './outside/outside-link.js';
export { type Looked, NotFound, lookOutside } from './outside/look.js';
export { parseOutsideAddress } from './outside/driver.js';
export { Secrets } from './outside/secrets.js';
export { trustOpcua } from './outside/opcua-driver.js';
export type { PointSource, SourcePoints } from './source.js';
export { type Open, OpenProtocols, OpenRefusal } from './open-protocols.js';
