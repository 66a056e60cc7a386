export type Compression = 'gzip' | 'bzip2';

/** How a file is packed, by its first bytes; null when it is not. */
export function compressionOf(head: Uint8Array): Compression | null {
  if (head[0] === 0x1f && head[1] === 0x8b && head[2] === 8) return 'gzip';
  // “BZh”, the size of blocks, and the number that every block begins with (or ends the file with).
  if (head[0] === 0x42 && head[1] === 0x5a && head[2] === 0x68 && head[3] >= 0x31 && head[3] <= 0x39)
    return head[4] === 0x31 || head[4] === 0x17 || head.length < 5 ? 'bzip2' : null;
  return null;
}
