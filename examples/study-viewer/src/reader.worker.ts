import * as Comlink from 'comlink';
import { type Crs, type Finding, IsomericError, type Table } from 'isomeric';
import {
  type Batch,
  type BatchBuffers,
  compileExpression,
  crsLabel,
  type Field,
  isLayer,
  reprojectLayer,
} from 'isomeric/core';
import { openSource, sourceFromBlob, surroundingsOf } from 'isomeric/formats';
import { browserSqlite } from './sqlite.ts';

export interface LayerInfo {
  name: string;
  schema: readonly Field[];
  count: number;
  crs: string | null;
  findings: readonly Finding[];
  hasGeometry: boolean;
}

interface Held {
  info: LayerInfo;
  batches: Batch[];
}

const held = new Map<string, Held>();
/** All layers are shown in the CRS of the first one. */
let shownIn: Crs | null = null;

/** An error of ours as plain data, since errors lose their fields on the way to the page. */
async function told<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw new Error(error instanceof IsomericError ? error.sentence : String(error));
  }
}

const api = {
  /** Reads files (a shapefile's parts among each other's) and tells what layers there are now. */
  open: (files: File[]): Promise<LayerInfo[]> =>
    told(async () => {
      const around = surroundingsOf(
        new Map(files.map((file) => [file.name, sourceFromBlob(file, file.name)])),
      );
      for (const file of files) {
        if (/\.(dbf|shx|prj|cpg)$/i.test(file.name) && files.some((other) => /\.shp$/i.test(other.name)))
          continue;
        for (const { table } of await openSource(sourceFromBlob(file, file.name), {
          around,
          path: file.name,
          capabilities: { sqlite: browserSqlite },
        })) {
          await hold(table);
        }
      }
      return Array.from(held.values(), (each) => each.info);
    }),

  /** All batches of a layer, as plain buffers. */
  batches(name: string): BatchBuffers[] {
    return held.get(name)!.batches.map((batch) => batch.toTransfer().buffers);
  },

  /** Numbers of the features for which a CQL2 condition is true. */
  filter: (name: string, where: string): Promise<Uint32Array> =>
    told(async () => {
      const { info, batches } = held.get(name)!;
      const test = compileExpression(where, info.schema, name);
      if (test.kind !== 'boolean')
        throw new IsomericError('expression-type', 'This is no condition: compare it with something.', {
          blame: 'usage',
        });
      const kept: number[] = [];
      let before = 0;
      for (const batch of batches) {
        const read = test.bind(batch);
        for (let i = 0; i < batch.length; i++) if (read(i) === true) kept.push(before + i);
        before += batch.length;
      }
      return Uint32Array.from(kept);
    }),
};

async function hold(table: Table): Promise<void> {
  let shown = table;
  if (isLayer(table) && table.crs !== null) {
    shownIn ??= table.crs;
    shown = reprojectLayer(table, shownIn);
  }
  const batches: Batch[] = [];
  let count = 0;
  for await (const batch of shown.batches()) {
    batches.push(batch);
    count += batch.length;
  }
  let { name } = table;
  for (let n = 2; held.has(name); n++) name = `${table.name} (${n})`;
  held.set(name, {
    batches,
    info: {
      name,
      schema: table.schema,
      count,
      crs: isLayer(table) ? crsLabel(table.crs) : null,
      findings: table.findings,
      hasGeometry: isLayer(table),
    },
  });
}

export type ReaderApi = typeof api;
Comlink.expose(api);
