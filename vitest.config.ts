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

/** Milliseconds that a loop takes which takes 25 on a machine of today with nothing else to do. */
function loop(): number {
  const start = performance.now();
  let sum = 0;
  for (let k = 1; k < 2e7; k++) sum += Math.sqrt(k);
  return sum > 0 ? performance.now() - start : 0;
}
/** How long one test may take: five minutes, more on a slower machine. */
const patience = Math.round(300_000 * Math.max(1, Math.min(loop(), loop(), loop()) / 25));

export default defineConfig({
  // As the package says for Node, but of the sources.
  resolve: { alias: { '#host': fileURLToPath(new URL('src/node/host.ts', import.meta.url)) } },
  test: {
    include: ['tests/**/*.test.ts'],
    // No test is to fail because the machine is busy: only what hangs ends here.
    testTimeout: patience,
    hookTimeout: patience,
    pool: 'forks',
    // Modules are loaded once for all files of a process: nothing of theirs is kept between tests.
    isolate: false,
    // Many tests wait, for processes of their own and for slow services: three files at a time, where there are two cores.
    maxWorkers: 3,
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
