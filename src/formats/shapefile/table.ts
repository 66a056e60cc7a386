import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import type { ByteSource } from '../byte-source.ts';
import { baseName } from '../names.ts';
import { DbaseColumns, dbaseSchema, readDbaseHeader, records } from './dbase.ts';

/** Opens a .dbf by itself as a table. Deleted rows are left out. */
export async function openDbase(source: ByteSource): Promise<Table[]> {
  const header = await readDbaseHeader(source);
  return [
    {
      name: baseName(source.name),
      schema: dbaseSchema(header),
      findings: header.findings,
      accounts: [],
      async *batches() {
        const columns = new DbaseColumns(header);
        let first = 0;
        let n = 0;
        const finish = () => {
          const batch = new Batch({
            length: n,
            first,
            geometry: null,
            columns: columns.builders.map((builder) => builder.finish()),
          });
          first += n;
          n = 0;
          return batch;
        };
        for await (const record of records(source, header)) {
          if (record[0] === 0x2a) continue;
          columns.add(record);
          if (++n === batchLimit) yield finish();
        }
        if (n > 0) yield finish();
      },
    },
  ];
}
