import type { Grid } from '../../core/grid/grid.ts';
import { gridHeader } from '../ascii-grid/sniff.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import type { OpenContext } from '../register.ts';

export interface GridFormat {
  name: string;
  title: string;
  endings: readonly string[];
  sniff(head: Uint8Array): boolean;
  open(source: ByteSource, context: OpenContext): Promise<Grid>;
}

function isTiff(head: Uint8Array): boolean {
  const little = head[0] === 0x49 && head[1] === 0x49;
  const big = head[0] === 0x4d && head[1] === 0x4d;
  const version = little ? head[2] | (head[3] << 8) : (head[2] << 8) | head[3];
  return (little || big) && (version === 42 || version === 43);
}

/** All grid formats, told apart by content. A new one is one folder and one entry here. */
export const gridFormats: readonly GridFormat[] = [
  {
    name: 'geotiff',
    title: 'GeoTIFF',
    endings: ['tif', 'tiff'],
    sniff: isTiff,
    open: async (source, context) =>
      (await import('../geotiff/read.ts')).openGeotiff(source, context.around, context.path),
  },
  {
    name: 'ascii-grid',
    title: 'ASCII grid',
    endings: ['asc', 'grd', 'txt'],
    sniff: (head) => gridHeader(new TextDecoder('latin1').decode(head.subarray(0, 4096))) !== null,
    open: async (source, context) =>
      (await import('../ascii-grid/read.ts')).openAsciiGrid(source, context.around, context.path),
  },
];

export async function gridFormatOf(source: ByteSource): Promise<GridFormat | undefined> {
  const head = await source.bytes(0, 4096);
  return gridFormats.find((format) => format.sniff(head));
}
