// A program with a machine in it, in a process of its own: an OPC UA server with a few items. Told what to do by lines of JSON, answers with a line for each.
import { createInterface } from 'node:readline';
import { OPCUACertificateManager } from 'node-opcua-certificate-manager';
import { MessageSecurityMode, SecurityPolicy } from 'node-opcua-secure-channel';
import { OPCUAServer } from 'node-opcua-server';
import { StatusCodes } from 'node-opcua-status-code';
import { DataType, Variant, VariantArrayType } from 'node-opcua-variant';

const say = (x) => console.log(`> ${JSON.stringify(x)}`);
let server;
const items = new Map();
const DO = {
  /** `items`: name to type, `Line.Gate.IsClosed: 'Boolean'`; a star behind the type: only read. */
  async start({ port, folder, items: wanted, user, secure }) {
    const certificates = new OPCUACertificateManager({
      rootFolder: folder,
      automaticallyAcceptUnknownCertificate: true,
      disableFileWatchers: true,
    });
    await certificates.initialize();
    server = new OPCUAServer({
      port,
      host: '127.0.0.1',
      hostname: '127.0.0.1',
      serverCertificateManager: certificates,
      userCertificateManager: certificates,
      serverInfo: { applicationUri: 'urn:test:machine', applicationName: { text: 'Machine' } },
      securityModes: secure
        ? [MessageSecurityMode.SignAndEncrypt]
        : [MessageSecurityMode.None, MessageSecurityMode.Sign, MessageSecurityMode.SignAndEncrypt],
      securityPolicies: [SecurityPolicy.None, SecurityPolicy.Basic256Sha256, SecurityPolicy.Aes256_Sha256_RsaPss],
      allowAnonymous: !user,
      ...(user
        ? { userManager: { isValidUser: (name, password) => name === user.name && password === user.password } }
        : {}),
    });
    await server.initialize();
    const space = server.engine.addressSpace,
      own = space.getOwnNamespace(),
      folders = new Map();
    const folderOf = (names) => {
      if (!names.length) return space.rootFolder.objects;
      const key = names.join('.');
      if (!folders.has(key))
        folders.set(
          key,
          own.addObject({ organizedBy: folderOf(names.slice(0, -1)), browseName: names.at(-1), nodeId: `s=${key}` }),
        );
      return folders.get(key);
    };
    for (const [path, text] of Object.entries(wanted)) {
      const names = path.split('.'),
        type = text.replace(/[*[\]]/g, ''),
        isList = text.includes('[]'),
        zero =
          type === 'Boolean' ? false : type === 'String' ? '' : /Int64/.test(type) ? [0, 0] : isList ? [0, 0, 0] : 0;
      const variable = own.addVariable({
        organizedBy: folderOf(names.slice(0, -1)),
        browseName: names.at(-1),
        nodeId: `s=${path}`,
        dataType: type,
        minimumSamplingInterval: 10,
        ...(text.includes('*')
          ? { accessLevel: 'CurrentRead', userAccessLevel: 'CurrentRead' }
          : { accessLevel: 'CurrentRead | CurrentWrite', userAccessLevel: 'CurrentRead | CurrentWrite' }),
        ...(isList ? { valueRank: 1 } : {}),
        value: new Variant({
          dataType: DataType[type],
          value: zero,
          arrayType: isList ? VariantArrayType.Array : VariantArrayType.Scalar,
        }),
      });
      items.set(path, { variable, type });
    }
    await server.start();
    return 'started';
  },
  async set({ path, value, status = 'Good' }) {
    const { variable, type } = items.get(path);
    variable.setValueFromSource(new Variant({ dataType: DataType[type], value }), StatusCodes[status]);
    return 'set';
  },
  async get({ path }) {
    return items.get(path).variable.readValue().value.value;
  },
  async end() {
    await server.shutdown(0);
    setTimeout(() => process.exit(0), 10);
    return 'ended';
  },
};
let last = Promise.resolve();
const input = createInterface({ input: process.stdin });
input.on('close', () => process.exit(0));
input.on('line', (line) => {
  const { do: what, ...args } = JSON.parse(line);
  last = last.then(async () => {
    try {
      say({ done: await DO[what](args) });
    } catch (e) {
      say({ failed: e.message });
    }
  });
});
