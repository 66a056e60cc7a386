/** True when the first bytes are of a zip archive, empty ones included. */
export function isZip(head: Uint8Array): boolean {
  return (
    head[0] === 0x50 &&
    head[1] === 0x4b &&
    ((head[2] === 3 && head[3] === 4) || (head[2] === 5 && head[3] === 6))
  );
}
