import fc from 'fast-check';

// On CI the same random input every time, so that a landing does not hang on luck; elsewhere new input at every run.
// A failure prints its seed; ISOMERIC_SEED=… repeats it.
const seed = process.env.ISOMERIC_SEED ?? (process.env.CI ? '20261125' : undefined);
if (seed !== undefined) fc.configureGlobal({ ...fc.readConfigureGlobal(), seed: Number(seed) });
