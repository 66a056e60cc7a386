import {
  type Box,
  emptyBox,
  growBox,
  isEmptyBox,
  Kind,
  type KindName,
  kindNames,
} from '../../core/geometry/geometry-array.ts';
import { Growing } from '../../core/growing.ts';
import type { Batch } from '../../core/layer/batch.ts';
import { quoteName, type SqliteDatabase } from '../bytes/sqlite.ts';
import { WkbWriter } from '../geometry/wkb.ts';
import { FeatureBoxes } from '../writing/feature-boxes.ts';
import { RowInserter } from './insert.ts';
import { keyOf } from './keys.ts';
import { sqlValue } from './tables.ts';

export interface FeatureRowsPlan {
  /** Name of the table; its columns are fid, geom, and then those of the layer. */
  name: string;
  columns: number;
  srs: number;
  /** Single geometries become multi-geometries of one. */
  promote: boolean;
  /** Ids of the features become the keys. */
  keyed: boolean;
}

/** Puts the features of a layer into its table, and keeps what is to be registered of them. */
export class FeatureRows {
  count = 0;
  hasZ = false;
  hasM = false;
  readonly boxes = new FeatureBoxes();
  /** Keys in order, where they are not 1, 2, 3 … */
  readonly keys: Growing<Float64Array> | null;
  readonly extent: Box = emptyBox();
  private readonly plan: FeatureRowsPlan;
  private readonly inserter: RowInserter;
  private readonly writer = new WkbWriter();
  private readonly box = emptyBox();
  private seen = 0;

  constructor(database: SqliteDatabase, plan: FeatureRowsPlan) {
    this.plan = plan;
    this.inserter = new RowInserter(database, quoteName(plan.name), plan.columns + 2);
    this.keys = plan.keyed ? new Growing(new Float64Array(1024)) : null;
  }

  /** Kinds of geometry that were written. */
  get kinds(): KindName[] {
    return kindNames.filter((_, k) => k > 0 && (this.seen & (1 << k)) !== 0);
  }

  add(batch: Batch): void {
    const geometry = batch.geometry!;
    const { inserter, keys, plan } = this;
    this.hasZ ||= geometry.z !== null;
    this.hasM ||= geometry.m !== null;
    for (let i = 0; i < batch.length; i++) {
      const key = plan.keyed ? keyOf(batch, i) : this.count + 1;
      keys?.push(key);
      inserter.set(0, key);
      this.count++;
      this.setGeometry(batch, i);
      for (let c = 0; c < plan.columns; c++) inserter.set(c + 2, sqlValue(batch.columns[c], i));
      inserter.end();
    }
  }

  finish(): void {
    this.inserter.finish();
  }

  /** The geometry as GeoPackage binary (12-128r19, clause 2.1.3): a header with its box, and WKB. */
  private setGeometry(batch: Batch, i: number): void {
    const geometry = batch.geometry!;
    const { box, plan, writer } = this;
    const kind = geometry.kind[i];
    geometry.boxOf(i, box);
    this.boxes.add(box);
    if (kind === Kind.None) {
      this.inserter.set(1, null);
      return;
    }
    const written = plan.promote && kind < Kind.MultiPoint ? kind + 3 : kind;
    this.seen |= 1 << written;
    const empty = isEmptyBox(box);
    const bytes = writer.write(geometry, i, empty ? 8 : 40, written);
    const head = writer.front;
    head.setUint16(0, 0x4750);
    head.setUint8(2, 0);
    head.setUint8(3, empty ? 0x11 : 0x03);
    head.setInt32(4, plan.srs, true);
    if (!empty) {
      head.setFloat64(8, box[0], true);
      head.setFloat64(16, box[2], true);
      head.setFloat64(24, box[1], true);
      head.setFloat64(32, box[3], true);
      growBox(this.extent, box);
    }
    this.inserter.setBlob(1, bytes);
  }
}
