import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['tests/**/*.test.ts'],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    pool: 'forks',
    // Many tests wait for processes of their own: two files at a time, also where there are two cores.
    maxWorkers: 2,
    setupFiles: ['tests/seed.ts'],
  },
});
