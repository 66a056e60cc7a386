import { type Box, emptyBox, growBox, isEmptyBox } from '../../core/geometry/geometry-array.ts';
import type { Growing } from '../../core/growing.ts';
import type { SqliteDatabase } from '../bytes/sqlite.ts';
import { quoteName } from '../bytes/sqlite.ts';
import type { FeatureBoxes } from '../writing/feature-boxes.ts';
import { RowInserter } from './insert.ts';

/** Cells in a full node of a two-dimensional SQLite R-tree, and bytes of a node with 4,096-byte pages. */
const capacity = 51;
const nodeBytes = 4 + 24 * capacity;

/**
 * Packs an R-tree (leaves in Hilbert order) and writes it as the shadow tables of SQLite's rtree module, which the
 * WebAssembly build does not have: name_node, name_rowid, name_parent, and the virtual table's entry in the schema.
 * Box k is that of row k + 1, or of the row with the key `keys.at(k)`; rows without a box are not in the tree.
 * Node layout: SQLite source, ext/rtree/rtree.c, “Database Format of R-Tree Tables”.
 */
export function writeRtree(
  database: SqliteDatabase,
  name: string,
  boxes: FeatureBoxes,
  keys: Growing<Float64Array> | null = null,
): void {
  const keyOf = (k: number) => keys?.at(k) ?? k + 1;
  const node = quoteName(`${name}_node`);
  const rowid = quoteName(`${name}_rowid`);
  const parent = quoteName(`${name}_parent`);
  database.exec(`CREATE TABLE ${rowid}(rowid INTEGER PRIMARY KEY,nodeno);
    CREATE TABLE ${node}(nodeno INTEGER PRIMARY KEY,data);
    CREATE TABLE ${parent}(nodeno INTEGER PRIMARY KEY,parentnode);`);
  const order = boxes.order();
  // Rows without a box stand last in the order.
  let count = order.length;
  const box = emptyBox();
  while (count > 0 && isEmptyBox(boxes.get(order[count - 1], box))) count--;
  // Boxes of the nodes of every level, the leaves' first: four numbers a node.
  const levels: Float32Array[] = [];
  let below = count;
  const boxBelow = (level: number, cell: number): Box => {
    if (level === 0) return boxes.get(order[cell], box);
    for (let n = 0; n < 4; n++) box[n] = levels[level - 1][4 * cell + n];
    return box;
  };
  do {
    const nodes = Math.max(1, Math.ceil(below / capacity));
    const own = new Float32Array(4 * nodes);
    for (let n = 0; n < nodes; n++) {
      const whole = emptyBox();
      for (let c = n * capacity; c < Math.min(below, (n + 1) * capacity); c++)
        growBox(whole, boxBelow(levels.length, c));
      own.set(whole, 4 * n);
    }
    levels.push(own);
    below = nodes;
  } while (below > 1);
  // The root is node 1; below it, each level's nodes are numbered one after the other.
  const depth = levels.length - 1;
  const firstNode: number[] = new Array(levels.length);
  let next = 1;
  for (let level = depth; level >= 0; level--) {
    firstNode[level] = next;
    next += levels[level].length / 4;
  }
  const insertNode = new RowInserter(database, node, 2);
  const insertParent = new RowInserter(database, parent, 2);
  // Node of each row, in the order of the row ids; 0 for a row without a box.
  const nodeOf = new Uint32Array(boxes.count);
  const data = new Uint8Array(nodeBytes);
  const view = new DataView(data.buffer);
  for (let level = depth; level >= 0; level--) {
    const nodes = levels[level].length / 4;
    const cells = level === 0 ? count : levels[level - 1].length / 4;
    for (let n = 0; n < nodes; n++) {
      const number = firstNode[level] + n;
      const from = n * capacity;
      const end = Math.min(cells, from + capacity);
      data.fill(0);
      view.setUint16(0, level === depth ? depth : 0);
      view.setUint16(2, Math.max(0, end - from));
      for (let c = from, at = 4; c < end; c++, at += 24) {
        const id = level === 0 ? keyOf(order[c]) : firstNode[level - 1] + c;
        boxBelow(level, c);
        // A whole number of 64 bits; negative ones as two's complement.
        view.setInt32(at, Math.floor(id / 2 ** 32));
        view.setUint32(at + 4, id >>> 0);
        view.setFloat32(at + 8, box[0]);
        view.setFloat32(at + 12, box[2]);
        view.setFloat32(at + 16, box[1]);
        view.setFloat32(at + 20, box[3]);
        if (level === 0) nodeOf[order[c]] = number;
        else {
          insertParent.set(0, id);
          insertParent.set(1, number);
          insertParent.end();
        }
      }
      insertNode.set(0, number);
      insertNode.setBlob(1, data);
      insertNode.end();
    }
  }
  insertNode.finish();
  insertParent.finish();
  const rows = new RowInserter(database, rowid, 2);
  for (let k = 0; k < boxes.count; k++) {
    if (nodeOf[k] === 0) continue;
    rows.set(0, keyOf(k));
    rows.set(1, nodeOf[k]);
    rows.end();
  }
  rows.finish();
  const sql = `CREATE VIRTUAL TABLE ${quoteName(name)} USING rtree(id, minx, maxx, miny, maxy)`;
  const entry = database.prepare(
    "INSERT INTO sqlite_master(type,name,tbl_name,rootpage,sql) VALUES('table',?,?,0,?)",
  );
  entry.run([name, name, sql]);
  entry.finish();
}
