/**
 * The job, in sentences: open, prepare, check, save. What it is made of is under `isomeric/core`, `/formats`, `/sources`,
 * `/study` and `/node`.
 */
export * from './library/index.ts';
