export { type BoundaryOfficeOptions, boundaryOffice } from './boundary-office.ts';
export { type FileOfficeOptions, fileOffice } from './file-office.ts';
export type { Mood } from './moods.ts';
export { type StandIn, type StandIns, type StandInsOptions, startStandIns } from './start.ts';
