export { loadStudy } from './file/load.ts';
export { type Study, studyJsonSchema, studySchema } from './file/schema.ts';
export type { EstimateLine } from './gathering/estimate.ts';
export { Ledger } from './ledger/ledger.ts';
export { type LedgerEntry, ledgerJsonSchema, type StepEntry } from './ledger/ledger-entries.ts';
export type { Machine, Reporter } from './machine.ts';
export { silentReporter } from './machine.ts';
export { type RunOptions, type RunResult, runStudy, slug } from './run.ts';
export { type Stage, stages } from './stages.ts';
