export * from './core/index.ts';
export * from './formats/index.ts';
export * from './sources/index.ts';
