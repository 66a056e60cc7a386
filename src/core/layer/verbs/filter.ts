import { closeAccount, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { compileExpression } from '../../table/cql2/evaluate.ts';
import { isLayer, type Table } from '../layer.ts';
import { FilterMisses } from './filter-misses.ts';
import { applyVerb } from './verb.ts';

/** Keeps the rows for which a CQL2 expression is true (neither false nor unknown). */
export function filterRows<T extends Table>(table: T, where: string): T {
  const test = compileExpression(where, table.schema, table.name, {
    crs: isLayer(table) ? table.crs : undefined,
  });
  if (test.kind !== 'boolean') {
    throw new IsomericError(
      'expression-type',
      `The filter “${where}” is no condition: it gives ${test.kind}, not true or false.`,
      { blame: 'usage', wrong: where, advice: 'Compare it with something, for example: households > 100.' },
    );
  }
  return applyVerb('Filter', table, {
    handOn: (options) => options,
    async *run(account, source) {
      let all = 0;
      let kept = 0;
      let unknown = 0;
      const misses = new FilterMisses(where, table);
      for await (const batch of source) {
        const read = test.bind(batch);
        const indices: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          const value = read(i);
          if (value === true) indices.push(i);
          else if (value === null) unknown++;
        }
        all += batch.length;
        kept += indices.length;
        if (kept === 0) misses.see(batch);
        if (indices.length === batch.length) yield batch;
        else if (indices.length > 0) yield batch.take(indices);
      }
      if (kept === 0 && all > 0)
        account.findings.push(misses.finding(`${grouped(all)} ${table.name}`, where));
      account.counts = { in: all, kept, dropped: all - kept - unknown, unknown };
      if (unknown > 0)
        closeAccount(
          account,
          [all, `${table.name} in`],
          [kept, `kept where ${where}`],
          [all - kept - unknown, 'dropped'],
          [unknown, 'dropped for a missing value'],
        );
      else
        closeAccount(
          account,
          [all, `${table.name} in`],
          [kept, `kept where ${where}`],
          [all - kept, 'dropped'],
        );
    },
  });
}
