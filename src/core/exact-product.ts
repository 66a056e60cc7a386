const splitter = 134217729; // 2^27 + 1

/** What the double `product` = a · b lacks of the exact product (Dekker 1971). */
export function productError(a: number, b: number, product: number): number {
  let c = splitter * a;
  const ah = c - (c - a);
  const al = a - ah;
  c = splitter * b;
  const bh = c - (c - b);
  const bl = b - bh;
  return al * bl - (product - ah * bh - al * bh - ah * bl);
}
