/**
 * Files do not import each other in circles, nor do rooms: each room of the core imports only rooms of rows above its
 * own (ARCHITECTURE.md). What other workspaces may use of the core is listed in its files of exports, which nothing
 * inside imports.
 */
const ROWS = [
  ['language', 'types', 'machine'],
  ['checked', 'ladder', 'sentences'],
  ['compile', 'document'],
  ['ir', 'runtime', 'wiring'],
  ['back/wasm', 'exchange', 'points', 'names'],
  ['library', 'timing'],
  ['check'],
  ['workspace'],
  ['back/c', 'files', 'verify/play'],
  ['editor', 'plan', 'verify/mutate'],
  ['verify/search', 'why'],
  ['verify/prove', 'verify/report'],
];
const inRooms = (rooms) => `^packages/core/src/(${rooms.join('|')})/`;
const rooms = ROWS.flatMap((row, n) =>
  row.map((room) => ({
    name: `${room} imports rooms above it only`,
    severity: 'error',
    from: { path: inRooms([room]) },
    to: { path: inRooms([...row.filter((other) => other !== room), ...ROWS.slice(n + 1).flat()]) },
  })),
);
export default {
  forbidden: [
    { name: 'no circles', severity: 'error', from: {}, to: { circular: true } },
    {
      name: 'every file of the core stands in a room',
      severity: 'error',
      from: { path: '^packages/core/src/', pathNot: `${inRooms(ROWS.flat())}|^packages/core/src/[a-z]+\\.ts$` },
      to: {},
    },
    {
      name: 'nothing inside imports the lists of exports',
      severity: 'error',
      from: { path: '^packages/core/src/' },
      to: { path: '^packages/core/src/[a-z]+\\.ts$' },
    },
    {
      name: 'documents and edits do not load what checks them',
      comment:
        'Whoever only reads and changes a document does not wait for class-validator; see `@ferrule/core/schema`.',
      severity: 'error',
      from: { path: '^packages/core/src/document\\.ts$' },
      to: { path: '^packages/core/src/document/schema\\.ts$', reachable: true },
    },
    ...rooms,
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '\\.test\\.tsx?$' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
  },
};
