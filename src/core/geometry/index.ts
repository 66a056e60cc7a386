export * from './geometry-array.ts';
export * from './geometry-maker.ts';
export * from './object-view.ts';
