import { crc32 } from 'node:zlib';
import type { Feature } from './boundary-data.ts';

type Ring = number[][];

/** Rings of an area, or of several. */
function ringsOf({ geometry }: Feature): Ring[] {
  const { type, coordinates } = geometry as unknown as { type: string; coordinates: Ring[] | Ring[][] };
  return type === 'Polygon' ? (coordinates as Ring[]) : (coordinates as Ring[][]).flat();
}

/** Shells run clockwise here (white paper of 1998, page 8), holes the other way: the reverse of GeoJSON. */
function shape(feature: Feature): Buffer {
  const rings = ringsOf(feature).map((ring) => [...ring].reverse());
  const points = rings.flat();
  const record = Buffer.alloc(44 + 4 * rings.length + 16 * points.length);
  record.writeInt32LE(5, 0);
  [Math.min, Math.max].forEach((pick, k) => {
    record.writeDoubleLE(pick(...points.map(([x]) => x)), 4 + 16 * k);
    record.writeDoubleLE(pick(...points.map(([, y]) => y)), 12 + 16 * k);
  });
  record.writeInt32LE(rings.length, 36);
  record.writeInt32LE(points.length, 40);
  rings.reduce((start, ring, k) => record.writeInt32LE(start, 44 + 4 * k) && start + ring.length, 0);
  points.forEach(([x, y], k) => {
    record.writeDoubleLE(x, 44 + 4 * rings.length + 16 * k);
    record.writeDoubleLE(y, 52 + 4 * rings.length + 16 * k);
  });
  return record;
}

function header(words: number): Buffer {
  const bytes = Buffer.alloc(100);
  bytes.writeInt32BE(9994, 0);
  bytes.writeInt32BE(words, 24);
  bytes.writeInt32LE(1000, 28);
  bytes.writeInt32LE(5, 32);
  return bytes;
}

function dbase(features: readonly Feature[], names: readonly string[]): Buffer {
  const width = 60;
  const head = Buffer.alloc(33 + 32 * names.length, 0);
  head[0] = 3;
  head.set([126, 1, 1], 1);
  head.writeUInt32LE(features.length, 4);
  head.writeUInt16LE(head.length, 8);
  head.writeUInt16LE(1 + width * names.length, 10);
  names.forEach((name, k) => {
    head.write(name.slice(0, 10), 32 + 32 * k, 'latin1');
    head.write('C', 43 + 32 * k);
    head[48 + 32 * k] = width;
  });
  head[head.length - 1] = 0x0d;
  const rows = features.map(({ properties }) => {
    const cells = names.map((name) => {
      const cell = Buffer.alloc(width, ' ');
      cell.write(String(properties[name] ?? ''), 'utf8');
      return cell;
    });
    return Buffer.concat([Buffer.from(' '), ...cells]);
  });
  return Buffer.concat([head, ...rows, Buffer.from([0x1a])]);
}

/** An archive of files that are not packed (APPNOTE 4.3). */
function zipped(files: readonly (readonly [string, Buffer])[]): Buffer {
  const parts: Buffer[] = [];
  const entries: Buffer[] = [];
  let at = 0;
  for (const [name, bytes] of files) {
    const common = Buffer.alloc(26);
    common.writeUInt16LE(20, 0);
    common.writeUInt16LE(0x21, 8);
    common.writeUInt32LE(crc32(bytes), 10);
    common.writeUInt32LE(bytes.length, 14);
    common.writeUInt32LE(bytes.length, 18);
    common.writeUInt16LE(name.length, 22);
    const rest = Buffer.alloc(14);
    rest.writeUInt32LE(at, 10);
    entries.push(Buffer.from('PK\x01\x02\x14\x00', 'latin1'), common, rest, Buffer.from(name));
    const local = [Buffer.from('PK\x03\x04', 'latin1'), common, Buffer.from(name), bytes];
    parts.push(...local);
    at += local.reduce((sum, each) => sum + each.length, 0);
  }
  const list = Buffer.concat(entries);
  const end = Buffer.alloc(22);
  end.write('PK\x05\x06', 0, 'latin1');
  end.writeUInt16LE(files.length, 8);
  end.writeUInt16LE(files.length, 10);
  end.writeUInt32LE(list.length, 12);
  end.writeUInt32LE(at, 16);
  return Buffer.concat([...parts, list, end]);
}

/** Areas as a shapefile in an archive: without ids, as many providers hand them out. */
export function shapefileArchive(name: string, features: readonly Feature[]): Buffer {
  const shapes = features.map(shape);
  const records = shapes.map((record, k) => {
    const head = Buffer.alloc(8);
    head.writeInt32BE(k + 1, 0);
    head.writeInt32BE(record.length / 2, 4);
    return Buffer.concat([head, record]);
  });
  let at = 50;
  const index = shapes.map((record) => {
    const entry = Buffer.alloc(8);
    entry.writeInt32BE(at, 0);
    entry.writeInt32BE(record.length / 2, 4);
    at += 4 + record.length / 2;
    return entry;
  });
  const names = Object.keys(features[0]?.properties ?? { name: '' });
  return zipped([
    [`${name}.shp`, Buffer.concat([header(at), ...records])],
    [`${name}.shx`, Buffer.concat([header(50 + 4 * shapes.length), ...index])],
    [`${name}.dbf`, dbase(features, names)],
    [`${name}.cpg`, Buffer.from('UTF-8')],
    [
      `${name}.prj`,
      Buffer.from(
        'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433]]',
      ),
    ],
  ]);
}
