/** Tables for eight bytes at a time (Kounavis and Berry, “Novel Table Lookup-Based Algorithms for High-Performance CRC Generation”, 2008). */
let tables: Int32Array[] | null = null;

function makeTables(): Int32Array[] {
  const all = Array.from({ length: 8 }, () => new Int32Array(256));
  for (let n = 0; n < 256; n++) {
    let c = n;
    for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    all[0][n] = c;
  }
  for (let n = 0; n < 256; n++)
    for (let k = 1; k < 8; k++) all[k][n] = (all[k - 1][n] >>> 8) ^ all[0][all[k - 1][n] & 255];
  return all;
}

/** CRC-32 of more bytes, continued from the one of those before (RFC 1952, section 8). */
export function crc32(bytes: Uint8Array, before = 0): number {
  tables ??= makeTables();
  const [t0, t1, t2, t3, t4, t5, t6, t7] = tables;
  let crc = ~before;
  let k = 0;
  for (const end = bytes.length - 7; k < end; k += 8) {
    const low = crc ^ (bytes[k] | (bytes[k + 1] << 8) | (bytes[k + 2] << 16) | (bytes[k + 3] << 24));
    crc =
      t7[low & 255] ^
      t6[(low >>> 8) & 255] ^
      t5[(low >>> 16) & 255] ^
      t4[low >>> 24] ^
      t3[bytes[k + 4]] ^
      t2[bytes[k + 5]] ^
      t1[bytes[k + 6]] ^
      t0[bytes[k + 7]];
  }
  for (; k < bytes.length; k++) crc = t0[(crc ^ bytes[k]) & 255] ^ (crc >>> 8);
  return ~crc >>> 0;
}
