import { type Box, IsomericError, type Layer, summariseBand } from '../../src/core/index.ts';
import {
  type Capabilities,
  lookInside,
  openExtract,
  sourceFromBytes,
  takeApart,
  thematicScheme,
} from '../../src/formats/index.ts';
import { nodeCapabilities } from '../../src/node/capabilities.ts';

/** Without what Node lends: as in a browser, but for SQLite. */
const plain: Capabilities = { sqlite: nodeCapabilities.sqlite };

/**
 * Opens and reads all that is in a file; by box too where that is another way in. Gives the number of rows, and whether
 * damage was told beside them.
 */
export async function readAll(
  bytes: Uint8Array,
  name: string,
  native = true,
): Promise<{ rows: number; told: boolean }> {
  let rows = 0;
  const capabilities = native ? nodeCapabilities : plain;
  const source = sourceFromBytes(bytes, name);
  if (/\.(osm|pbf)$/.test(name)) rows += await classify(bytes, name, native);
  const { layers, grids, others } = await lookInside(source, { around: null, path: name, capabilities });
  for (const { table } of layers) {
    const layer = table as Layer;
    for (const options of layer.readsByBox ? [undefined, { box: layer.extent ?? [0, 0, 1, 1] }] : [undefined])
      for await (const batch of table.batches(options as { box: Box } | undefined)) {
        rows += batch.length;
        for (const column of batch.columns) for (let i = 0; i < batch.length; i++) column.text(i);
        batch.geometry?.box();
      }
  }
  for (const { grid } of grids) {
    for (let b = 0; b < grid.bands.length && b < 4; b++) await summariseBand(grid, b);
    rows += grid.bands.length;
  }
  const findings = [
    ...layers.flatMap(({ table }) => table.findings),
    ...others.flatMap(({ damage }) => damage ?? []),
  ];
  return { rows, told: findings.some(({ severity }) => severity === 'error') };
}

/** The other way through a map extract: taken apart by classes. */
async function classify(bytes: Uint8Array, name: string, native: boolean): Promise<number> {
  const extract = await openExtract(
    sourceFromBytes(bytes, name),
    native ? nodeCapabilities.inflate : undefined,
  );
  const taken = await takeApart(extract, thematicScheme());
  let rows = 0;
  for (const layer of taken.layers) for await (const batch of layer.batches()) rows += batch.length;
  return rows;
}

/** How a reading ends: so many rows, an error of ours, or what is none of ours. */
export async function outcomeOf(
  bytes: Uint8Array,
  name: string,
  native = true,
): Promise<
  | { kind: 'read'; rows: number; told: boolean }
  | { kind: 'refused'; code: string; cause: string }
  | { kind: 'foreign'; words: string }
> {
  try {
    return { kind: 'read', ...(await readAll(bytes, name, native)) };
  } catch (error) {
    if (!(error instanceof IsomericError))
      return {
        kind: 'foreign',
        words: error instanceof Error ? (error.stack ?? String(error)) : String(error),
      };
    const { cause } = error;
    return {
      kind: 'refused',
      code: error.code,
      cause: error.code === 'file-damaged' && cause instanceof Error ? (cause.stack ?? '') : '',
    };
  }
}
