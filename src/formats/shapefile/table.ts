import type { Finding } from '../../core/findings.ts';
import { Batch, batchLimit } from '../../core/layer/batch.ts';
import type { Table } from '../../core/layer/layer.ts';
import type { ByteSource, Surroundings } from '../bytes/byte-source.ts';
import { askedEncoding } from '../bytes/encodings.ts';
import { baseName } from '../opening/names.ts';
import { DbaseColumns, dbaseSchema, readDbaseHeader, records } from './dbase.ts';
import { dbaseTroubles } from './dbase-troubles.ts';
import { memoAmong, saidEncoding, siblings } from './read.ts';

/** Opens a .dbf by itself as a table. Deleted rows are left out. */
export async function openDbase(
  source: ByteSource,
  around: Surroundings | null,
  path: string,
  asked?: string,
): Promise<Table[]> {
  const parts = await siblings(source, around, path);
  const findings: Finding[] = [];
  const encoding =
    asked === undefined ? await saidEncoding(parts.get('cpg'), findings) : askedEncoding(asked);
  const header = await readDbaseHeader(source, encoding, memoAmong(parts));
  const told: Finding[] = [...findings, ...header.findings];
  return [
    {
      name: baseName(source.name),
      schema: dbaseSchema(header),
      findings: told,
      accounts: [],
      async *batches() {
        const columns = new DbaseColumns(header);
        let first = 0;
        let n = 0;
        let deleted = 0;
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
          if (record[0] === 0x2a) {
            deleted++;
            continue;
          }
          if (header.memo !== null) await header.memo.load(record, 0);
          columns.add(record);
          if (++n === batchLimit) yield finish();
        }
        if (n > 0) yield finish();
        for (const finding of dbaseTroubles(source.name, columns, deleted))
          if (!told.some(({ code }) => code === finding.code)) told.push(finding);
      },
    },
  ];
}
