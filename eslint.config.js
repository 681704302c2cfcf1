import { readdirSync } from 'node:fs';
import tseslint from 'typescript-eslint';

/**
 * Dependencies point one way (ARCHITECTURE.md): workspaces to core, core to nothing. Rooms of the core and circles:
 * `.dependency-cruiser.mjs`.
 */
const workspaces = ['cli', 'server', 'controller', 'protocols', 'web'];
/** What others may import beside the core: the protocols serve a stand-in and a bench alike. */
const shared = { server: ['protocols'], controller: ['protocols'], cli: ['protocols'] };
const forbid = (patterns) => ({ 'no-restricted-imports': ['error', { patterns }] });
const nodeApi = {
  group: ['node:*', 'fs', 'path', 'crypto', 'http', 'worker_threads', 'child_process'],
  message: 'The core and the web page use no Node API.',
};
const reach = {
  regex: '^@ferrule/core(/src|/test|$)',
  message: 'Import what the core lists (`exports` of its package.json).',
};
/** Areas of the page. */
const areas = readdirSync(new URL('packages/web/src/areas', import.meta.url));
export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', 'data/**', 'test-results/**', 'playwright-report/**'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      eqeqeq: 'error',
      'no-console': 'off',
    },
  },
  {
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: forbid([
      { regex: `^@ferrule/(${workspaces.join('|')})`, message: 'The core imports no other workspace.' },
      nodeApi,
    ]),
  },
  ...workspaces.map((w) => ({
    files: [`packages/${w}/**/*.{ts,tsx}`],
    rules: forbid([
      {
        regex: `^@ferrule/(${workspaces.filter((o) => o !== w && !shared[w]?.includes(o)).join('|')})`,
        message: 'Workspaces do not import each other.',
      },
      {
        regex: `(^|/)packages/|^\\.\\./\\.\\./\\.\\./(${workspaces.join('|')}|core)/`,
        message: 'Import workspaces by their name.',
      },
      reach,
      ...(w === 'web' ? [nodeApi] : []),
    ]),
  })),
  ...areas.map((area, _, all) => ({
    files: [`packages/web/src/areas/${area}/**`],
    rules: forbid([
      {
        regex: `^\\.\\./(${all.filter((a) => a !== area).join('|')})/`,
        message: 'No area knows another’s insides; shared parts go to components.',
      },
      reach,
      nodeApi,
    ]),
  })),
);
