import { emptyBox } from '../../core/geometry/geometry-array.ts';
import { hilbertOfBox, orderOf } from '../hilbert.ts';
import type { SqliteDatabase } from '../sqlite.ts';
import { quoteName } from '../sqlite.ts';
import { RowInserter } from './insert.ts';

/** Cells in a full node of a two-dimensional SQLite R-tree, and bytes of a node with 4,096-byte pages. */
const capacity = 51;
const nodeBytes = 4 + 24 * capacity;

const single = new Float32Array(1);
const bits = new Int32Array(single.buffer);

/** The nearest single-precision number not above `value`. */
export function roundDown(value: number): number {
  single[0] = value;
  if (single[0] <= value) return single[0];
  bits[0] += single[0] > 0 ? -1 : single[0] < 0 ? 1 : 0;
  if (single[0] > value) single[0] = -1.401298464324817e-45;
  return single[0];
}

/** The nearest single-precision number not below `value`. */
export function roundUp(value: number): number {
  return -roundDown(-value);
}

/** Boxes of features as they are written: [row id, least x, least y, greatest x, greatest y] one after the other. */
export class BoxList {
  count = 0;
  values = new Float64Array(5 * 1024);

  add(id: number, x0: number, y0: number, x1: number, y1: number): void {
    if (5 * (this.count + 1) > this.values.length) {
      const larger = new Float64Array(this.values.length * 2);
      larger.set(this.values);
      this.values = larger;
    }
    const { values } = this;
    const at = 5 * this.count++;
    values[at] = id;
    values[at + 1] = x0;
    values[at + 2] = y0;
    values[at + 3] = x1;
    values[at + 4] = y1;
  }
}

interface Level {
  /** Row id of each leaf cell, or number of each child node. */
  ids: Float64Array;
  boxes: Float64Array;
  count: number;
  /** Leaves only: number of each cell's box in the list. */
  order?: Uint32Array;
}

/**
 * Packs an R-tree (leaves in Hilbert order) and writes it as the shadow tables of SQLite's rtree module, which the
 * WebAssembly build does not have: name_node, name_rowid, name_parent, and the virtual table's entry in the schema.
 * Node layout: SQLite source, ext/rtree/rtree.c, “Database Format of R-Tree Tables”.
 */
export function writeRtree(database: SqliteDatabase, name: string, boxes: BoxList): void {
  const node = quoteName(`${name}_node`);
  const rowid = quoteName(`${name}_rowid`);
  const parent = quoteName(`${name}_parent`);
  database.exec(`CREATE TABLE ${rowid}(rowid INTEGER PRIMARY KEY,nodeno);
    CREATE TABLE ${node}(nodeno INTEGER PRIMARY KEY,data);
    CREATE TABLE ${parent}(nodeno INTEGER PRIMARY KEY,parentnode);`);
  const levels = packLevels(boxes);
  const insertNode = database.prepare(`INSERT INTO ${node} VALUES(?,?)`);
  const insertParent = database.prepare(`INSERT INTO ${parent} VALUES(?,?)`);
  const depth = levels.length - 1;
  // The root is node 1; below it, each level's nodes are numbered one after the other.
  const firstNode: number[] = new Array(levels.length);
  let next = 1;
  for (let level = depth; level >= 0; level--) {
    firstNode[level] = next;
    next += Math.max(1, Math.ceil(levels[level].count / capacity));
  }
  // Node of each box, in the order in which the boxes were added: that of the row ids.
  const nodeOf = new Float64Array(boxes.count);
  const data = new Uint8Array(nodeBytes);
  const view = new DataView(data.buffer);
  for (let level = depth; level >= 0; level--) {
    const { ids, boxes: box, count } = levels[level];
    const nodes = Math.max(1, Math.ceil(count / capacity));
    for (let n = 0; n < nodes; n++) {
      const number = firstNode[level] + n;
      const from = n * capacity;
      const end = Math.min(count, from + capacity);
      data.fill(0);
      view.setUint16(0, level === depth ? depth : 0);
      view.setUint16(2, end - from);
      for (let c = from, at = 4; c < end; c++, at += 24) {
        const id = level === 0 ? ids[c] : firstNode[level - 1] + ids[c];
        view.setUint32(at, Math.floor(id / 4_294_967_296));
        view.setUint32(at + 4, id % 4_294_967_296);
        view.setFloat32(at + 8, box[4 * c]);
        view.setFloat32(at + 12, box[4 * c + 2]);
        view.setFloat32(at + 16, box[4 * c + 1]);
        view.setFloat32(at + 20, box[4 * c + 3]);
        if (level === 0) nodeOf[levels[0].order![c]] = number;
        else insertParent.run([id, number]);
      }
      insertNode.run([number, data.slice()]);
    }
  }
  insertNode.finish();
  const rows = new RowInserter(database, rowid, 2);
  for (let k = 0; k < boxes.count; k++) {
    rows.set(0, boxes.values[5 * k]);
    rows.set(1, nodeOf[k]);
    rows.end();
  }
  rows.finish();
  insertParent.finish();
  const sql = `CREATE VIRTUAL TABLE ${quoteName(name)} USING rtree(id, minx, maxx, miny, maxy)`;
  const entry = database.prepare(
    "INSERT INTO sqlite_master(type,name,tbl_name,rootpage,sql) VALUES('table',?,?,0,?)",
  );
  entry.run([name, name, sql]);
  entry.finish();
}

/** Leaves first; the last level fits into one node. Boxes are rounded outwards to single precision. */
function packLevels(list: BoxList): Level[] {
  const { count, values } = list;
  const extent = emptyBox();
  for (let k = 0, at = 1; k < count; k++, at += 5) {
    if (values[at] < extent[0]) extent[0] = values[at];
    if (values[at + 1] < extent[1]) extent[1] = values[at + 1];
    if (values[at + 2] > extent[2]) extent[2] = values[at + 2];
    if (values[at + 3] > extent[3]) extent[3] = values[at + 3];
  }
  const keys = new Uint32Array(count);
  const box = emptyBox();
  for (let k = 0, at = 1; k < count; k++, at += 5) {
    box[0] = values[at];
    box[1] = values[at + 1];
    box[2] = values[at + 2];
    box[3] = values[at + 3];
    keys[k] = hilbertOfBox(box, extent);
  }
  const order = orderOf(keys);
  const ids = new Float64Array(count);
  const boxes = new Float64Array(4 * count);
  for (let c = 0; c < count; c++) {
    const k = 5 * order[c];
    ids[c] = values[k];
    boxes[4 * c] = roundDown(values[k + 1]);
    boxes[4 * c + 1] = roundDown(values[k + 2]);
    boxes[4 * c + 2] = roundUp(values[k + 3]);
    boxes[4 * c + 3] = roundUp(values[k + 4]);
  }
  const levels: Level[] = [{ ids, boxes, count, order }];
  while (levels[levels.length - 1].count > capacity) {
    const below = levels[levels.length - 1];
    const nodes = Math.ceil(below.count / capacity);
    const up: Level = {
      ids: Float64Array.from({ length: nodes }, (_, n) => n),
      boxes: new Float64Array(4 * nodes),
      count: nodes,
    };
    for (let n = 0; n < nodes; n++) {
      let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
      for (let c = n * capacity; c < Math.min(below.count, (n + 1) * capacity); c++) {
        if (below.boxes[4 * c] < x0) x0 = below.boxes[4 * c];
        if (below.boxes[4 * c + 1] < y0) y0 = below.boxes[4 * c + 1];
        if (below.boxes[4 * c + 2] > x1) x1 = below.boxes[4 * c + 2];
        if (below.boxes[4 * c + 3] > y1) y1 = below.boxes[4 * c + 3];
      }
      up.boxes.set([x0, y0, x1, y1], 4 * n);
    }
    levels.push(up);
  }
  return levels;
}
