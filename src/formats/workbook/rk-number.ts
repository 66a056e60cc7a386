const view = new DataView(new ArrayBuffer(8));

/** A number in 30 bits: whole or the upper half of a double, perhaps times a hundred ([MS-XLS], section 2.5.217). */
export function rkNumber(rk: number): number {
  let value: number;
  if (rk & 2) value = rk >> 2;
  else {
    view.setInt32(0, rk & ~3);
    view.setInt32(4, 0);
    value = view.getFloat64(0);
  }
  return rk & 1 ? value / 100 : value;
}
