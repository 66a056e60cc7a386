export { checkFrom } from './check.ts';
export { Ledger } from './ledger.ts';
export { type LedgerEntry, ledgerJsonSchema, type StepEntry } from './ledger-entries.ts';
export { loadStudy } from './load.ts';
export type { Machine, Reporter } from './machine.ts';
export { silentReporter } from './machine.ts';
export { type RunOptions, type RunResult, runStudy, slug } from './run.ts';
export { type Study, studyJsonSchema, studySchema } from './schema.ts';
export { type Stage, stages } from './stages.ts';
