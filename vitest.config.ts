import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';
import { BaseSequencer, type TestSpecification } from 'vitest/node';

/** Files that run the command many times; begun first, so that none of them is the last one running alone. */
const longest = [
  'docs',
  'cli',
  'cli-features',
  'study',
  'killed',
  'cli-tables',
  'viewer',
  'fuzz',
  'bad-days',
  'cli-gather',
];

class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    const place = ({ moduleId }: TestSpecification) => {
      const k = longest.findIndex((name) => moduleId.endsWith(`/${name}.test.ts`));
      return k < 0 ? longest.length : k;
    };
    return (await super.sort(files)).sort((a, b) => place(a) - place(b));
  }
}

export default defineConfig({
  // As the package says for Node, but of the sources.
  resolve: { alias: { '#host': fileURLToPath(new URL('src/node/host.ts', import.meta.url)) } },
  test: {
    include: ['tests/**/*.test.ts'],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    pool: 'forks',
    // Modules are loaded once for all files of a process: nothing of theirs is kept between tests.
    isolate: false,
    // Many tests wait for processes of their own: two files at a time, also where there are two cores.
    maxWorkers: 2,
    sequence: { sequencer: LongestFirst },
    coverage: {
      provider: 'v8',
      include: ['src/**/*.ts'],
      exclude: ['src/**/*.generated.ts'],
      reporter: ['text-summary', 'json-summary', 'html'],
      reportsDirectory: 'coverage',
    },
    setupFiles: ['tests/support/seed.ts'],
  },
});
