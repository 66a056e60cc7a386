export type { Account } from '../core/account.ts';
export type { Crs } from '../core/crs/crs.ts';
export { type Failure, IsomericError, type Place as ErrorPlace } from '../core/errors.ts';
export type { Finding, Severity } from '../core/findings.ts';
export type { Area } from '../core/layer/area.ts';
export { isLayer, type Layer, type Table } from '../core/layer/layer.ts';
export * from '../verbs/index.ts';
export { areaOf } from './area.ts';
export { type Checked, check } from './check.ts';
export { type DatasetRequest, type DatasetSettings, type GatheredDataset, gatherDataset } from './gather.ts';
export type { SavedFile } from './host.ts';
export {
  crsNamed,
  type Listed,
  layersIn,
  type OpenSettings,
  openGrid,
  openLayer,
  openTable,
  type Place,
} from './open.ts';
export type { Progress, Watching } from './progress.ts';
export { countOf, type FeatureObject, featuresOf, rowsOf } from './rows.ts';
export { accountOf, type Saved, type SaveSettings, save, type Told } from './save.ts';
