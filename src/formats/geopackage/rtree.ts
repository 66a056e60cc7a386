import type { SqliteDatabase } from '../sqlite.ts';
import { quoteName } from '../sqlite.ts';

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
    this.values.set([id, x0, y0, x1, y1], 5 * this.count++);
  }
}

interface Level {
  /** Row id of each leaf cell, or number of each child node. */
  ids: Float64Array;
  boxes: Float64Array;
  count: number;
}

/**
 * Packs an R-tree (sort-tile-recursive) and writes it as the shadow tables of SQLite's rtree module, which the
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
  const insertRow = database.prepare(`INSERT INTO ${rowid} VALUES(?,?)`);
  const insertParent = database.prepare(`INSERT INTO ${parent} VALUES(?,?)`);
  const depth = levels.length - 1;
  // The root is node 1; below it, each level's nodes are numbered one after the other.
  const firstNode: number[] = new Array(levels.length);
  let next = 1;
  for (let level = depth; level >= 0; level--) {
    firstNode[level] = next;
    next += Math.max(1, Math.ceil(levels[level].count / capacity));
  }
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
        view.setBigInt64(at, BigInt(id));
        view.setFloat32(at + 8, box[4 * c]);
        view.setFloat32(at + 12, box[4 * c + 2]);
        view.setFloat32(at + 16, box[4 * c + 1]);
        view.setFloat32(at + 20, box[4 * c + 3]);
        if (level === 0) insertRow.run([id, number]);
        else insertParent.run([id, number]);
      }
      insertNode.run([number, data.slice()]);
    }
  }
  insertNode.finish();
  insertRow.finish();
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
  const order = Uint32Array.from({ length: count }, (_, k) => k);
  const middleX = (k: number) => values[5 * k + 1] + values[5 * k + 3];
  const middleY = (k: number) => values[5 * k + 2] + values[5 * k + 4];
  order.sort((a, b) => middleX(a) - middleX(b));
  const leaves = Math.ceil(count / capacity);
  const slice = capacity * Math.ceil(leaves / Math.max(1, Math.ceil(Math.sqrt(leaves))));
  for (let from = 0; from < count; from += slice)
    order.subarray(from, from + slice).sort((a, b) => middleY(a) - middleY(b));
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
  const levels: Level[] = [{ ids, boxes, count }];
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
        x0 = Math.min(x0, below.boxes[4 * c]);
        y0 = Math.min(y0, below.boxes[4 * c + 1]);
        x1 = Math.max(x1, below.boxes[4 * c + 2]);
        y1 = Math.max(y1, below.boxes[4 * c + 3]);
      }
      up.boxes.set([x0, y0, x1, y1], 4 * n);
    }
    levels.push(up);
  }
  return levels;
}
