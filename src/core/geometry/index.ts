export * from './geometry-array.ts';
export * from './geometry-builder.ts';
export * from './object-view.ts';
