export { checkFrom } from './check.ts';
export { Ledger, type LedgerEntry, type StepEntry } from './ledger.ts';
export { loadStudy } from './load.ts';
export type { Machine, Reporter } from './machine.ts';
export { silentReporter } from './machine.ts';
export { type RunOptions, type RunResult, runStudy, slug } from './run.ts';
export { type Study, studyJsonSchema, studySchema } from './schema.ts';
export { type Stage, stages } from './stages.ts';
