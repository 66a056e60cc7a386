export { fileSource } from './bytes.ts';
export { folderStore, nodeMachine } from './machine.ts';
export { openOne, openPath } from './open.ts';
export { pngFromSvg } from './png.ts';
export { saverFor, savers, writeBeside, writeChunks, writeText } from './save.ts';
export { createDatabase, nodeSqlite } from './sqlite.ts';
