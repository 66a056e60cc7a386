import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { IsomericError, isLayer, type Layer, reprojectLayer, type Table } from '../../src/core/index.ts';
import { lookInside, sourceFromBytes, writingFormats } from '../../src/formats/index.ts';
import { nodeCapabilities } from '../../src/node/capabilities.ts';
import { openPath, saverFor } from '../../src/node/index.ts';
import { allSamples } from '../fuzz/samples.ts';
import { now } from '../support/saved.ts';
import { type Aspect, differences } from './compare.ts';
import { allowed } from './losses.ts';
import { checkWithOthers } from './other-programs.ts';
import { numbered, probes } from './probes.ts';

/** Longest table that is saved, unless asked otherwise: what a format loses shows in few rows. */
const usualRows = 3000;

export interface RoundTrips {
  trips: number;
  tables: number;
  refused: number;
  checked: number;
  failures: string[];
  /** What changed, by format: with an example each. */
  seen: Map<string, Map<Aspect, string>>;
}

async function readable(folder: string, names: readonly string[], mostRows: number): Promise<Table[]> {
  const tables: Table[] = [];
  for (const name of names) {
    const source = sourceFromBytes(new Uint8Array(readFileSync(join(folder, name))), name);
    try {
      const { layers } = await lookInside(source, {
        around: null,
        path: name,
        capabilities: nodeCapabilities,
      });
      for (const { table } of layers) {
        let rows = 0;
        for await (const batch of table.batches()) rows += batch.length;
        if (rows > 0 && rows <= mostRows) tables.push(numbered({ ...table, name: `${name}, ${table.name}` }));
      }
    } catch (error) {
      // Some samples are none that can be read: a web page, an answer that tells of an error.
      if (!(error instanceof IsomericError)) throw error;
    }
  }
  return tables;
}

/** All tables in all formats and back. */
export async function everyRoundTrip(
  data: string,
  folder: string,
  options: { mostRows?: number; say?: (line: string) => void } = {},
): Promise<RoundTrips> {
  const result: RoundTrips = { trips: 0, tables: 0, refused: 0, checked: 0, failures: [], seen: new Map() };
  const tables: Table[] = [
    ...probes(),
    ...(await readable(folder, await allSamples(data, folder), options.mostRows ?? usualRows)),
  ];
  result.tables = tables.length;
  for (const format of writingFormats) {
    const seen = new Map<Aspect, string>();
    result.seen.set(format.name, seen);
    const written: { path: string; rows: number }[] = [];
    for (const [k, table] of tables.entries()) {
      if (!format.tables && !isLayer(table)) continue;
      options.say?.(`${format.name}: ${table.name}`);
      const path = join(folder, 'out', format.name, String(k), `t.${format.endings[0]}`);
      const plain = { ...table, name: 't' };
      try {
        await saverFor(path, format.name).save([plain], path, now);
      } catch (error) {
        if (!(error instanceof IsomericError)) throw error;
        result.refused++;
        continue;
      }
      result.trips++;
      try {
        const back = (await openPath(join(folder, 'out', format.name, String(k)))).map(
          (opened) => opened.table,
        );
        const found = await differences(plain, back, (layer, like) =>
          reprojectLayer(layer as Layer, like.crs!),
        );
        for (const { aspect, example } of found) {
          if (!seen.has(aspect)) seen.set(aspect, `${table.name}: ${example}`);
          if (allowed[format.name]?.[aspect] === undefined)
            result.failures.push(`${format.name}: ${aspect} may not change, but ${table.name}: ${example}`);
        }
      } catch (error) {
        result.failures.push(
          `${format.name}: what was saved of ${table.name} is not read: ${error instanceof IsomericError ? error.sentence : String(error)}`,
        );
      }
      let rows = 0;
      for await (const batch of table.batches()) rows += batch.length;
      written.push({ path, rows });
    }
    for (const aspect of Object.keys(allowed[format.name] ?? {}) as Aspect[])
      if (!seen.has(aspect))
        result.failures.push(`${format.name}: ${aspect} is said to change, but never did`);
    const { checked, complaints } = checkWithOthers(format.name, written);
    result.checked += checked;
    result.failures.push(...complaints);
  }
  return result;
}
