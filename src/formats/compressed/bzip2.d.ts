declare module 'unbzip2-stream/lib/bzip2.js' {
  type Bits = (count: number | null) => number;
  const bzip2: {
    header(bits: Bits): number;
    /** Unpacks one block; null at the end of a stream. */
    decompress(
      bits: Bits,
      put: (byte: number) => void,
      work: Int32Array,
      size: number,
      crc: number | null,
    ): number | null;
  };
  export default bzip2;
}
declare module 'unbzip2-stream/lib/bit_iterator.js' {
  export default function bitIterator(
    next: () => Uint8Array | undefined,
  ): ((count: number | null) => number) & { bytesRead: number };
}
