export type { PointSource, SourcePoints } from './source.js';
export { type ModbusClient, ModbusListener } from './modbus-listener.js';
export { OpcuaHost, type OpcuaState } from './opcua/opcua-host.js';
export type { OpcuaCertificate, OpcuaClient, OpcuaRules } from './opcua/messages.js';
export { hashed } from './opcua/secret.js';
