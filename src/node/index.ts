export { fileSource } from './bytes.ts';
export { nodeCapabilities } from './capabilities.ts';
export { openExtractFile } from './extract.ts';
export { folderStore, nodeMachine } from './machine.ts';
export { lookPath, type OpenOptions, openOne, openPath } from './open.ts';
export { pngFromSvg } from './png.ts';
export { saverFor, writeBeside, writeChunks, writeText } from './save.ts';
export { createDatabase, nodeSqlite } from './sqlite.ts';
export { NodeTarget } from './target.ts';
