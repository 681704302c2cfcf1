/**
 * Files do not import each other in circles, nor rooms each other (ARCHITECTURE.md). Circles that stand from before are in
 * `.dependency-cruiser-known-violations.json`: the list only gets shorter.
 */
const room = (name) => `^packages/core/src/${name}/`;
/** Rooms that do not know of the ones behind the arrow. */
const below = (from, above) => ({
  name: `${from} stands below`,
  severity: 'error',
  from: { path: room(from) },
  to: { path: room(`(${above.join('|')})`) },
});
export default {
  forbidden: [
    { name: 'no circles', severity: 'error', from: {}, to: { circular: true } },
    below('compile', ['ir', 'back', 'runtime', 'project', 'prove', 'proof', 'why']),
    below('ir', ['back', 'runtime', 'project', 'prove', 'proof', 'why', 'library']),
    below('back/wasm', ['project', 'prove', 'proof', 'why', 'plan', 'files', 'timing']),
    below('project', ['plan', 'files', 'why', 'proof', 'exchange', 'timing']),
    below('timing', ['plan', 'files', 'why', 'proof']),
    below('prove', ['plan', 'files', 'why', 'proof', 'exchange']),
    below('plan', ['files', 'why', 'proof', 'exchange']),
    below('proof', ['plan', 'files', 'why', 'exchange', 'ladder', 'library', 'machine']),
    below('why', ['plan', 'files', 'prove', 'proof', 'exchange', 'library', 'machine']),
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '\\.test\\.tsx?$' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
  },
};
