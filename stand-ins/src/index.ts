export { type BoundaryOfficeOptions, boundaryOffice } from './boundary-office.ts';
export { type CatalogueOfficeOptions, catalogueOffice } from './catalogue-office.ts';
export { type FileOfficeOptions, fileOffice } from './file-office.ts';
export { type MapHostOptions, mapHost } from './map-host.ts';
export { type Mood, moods } from './moods.ts';
export { type OrderDeskOptions, orderDesk } from './order-desk.ts';
export { type LineMood, ReceiverLine, type ReceiverLineOptions } from './receiver-line.ts';
export {
  madeUpSecrets,
  type Office,
  offices,
  receiverPort,
  type StandIn,
  type StandIns,
  type StandInsOptions,
  startStandIns,
  usualPorts,
} from './start.ts';
export { type StatisticsOfficeOptions, statisticsOffice } from './statistics-office.ts';
