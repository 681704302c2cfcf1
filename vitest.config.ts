import { availableParallelism } from 'node:os';
import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['packages/*/src/**/*.test.ts', 'packages/*/test/**/*.test.ts'],
    setupFiles: ['./scripts/test-setup.mjs'],
    testTimeout: 60_000,
    // Vitest leaves one core to itself; on two cores that is half of them.
    maxWorkers: availableParallelism(),
    reporters: ['default'],
  },
});
