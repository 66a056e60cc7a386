import fc from 'fast-check';

// The same random input every time, so that a test does not hang on luck; ISOMERIC_SEED=… gives other input.
const seed = Number(process.env.ISOMERIC_SEED ?? '20261125');
fc.configureGlobal({ ...fc.readConfigureGlobal(), seed });
