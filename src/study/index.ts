export type { Machine, Reporter } from './machine.ts';
export { silentReporter } from './machine.ts';
export { Ledger, type LedgerEntry, type StepEntry } from './ledger.ts';
export { loadStudy } from './load.ts';
export { checkFrom } from './check.ts';
export { runStudy, type RunOptions, type RunResult, slug, type Stage, stages } from './run.ts';
export { type Study, studyJsonSchema, studySchema } from './schema.ts';
