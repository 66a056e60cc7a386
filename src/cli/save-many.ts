import { dirname, extname, join } from 'node:path';
import type { Account, Table } from '../core/index.ts';
import { writingFormatFor } from '../formats/writing/register.ts';
import { saverFor } from '../node/index.ts';
import { settleOutput } from './outputs.ts';

/** `out/tables.csv` for the table housing_ward → `out/housing_ward.csv`. */
export function besideNamed(path: string, name: string): string {
  return join(dirname(path), `${name.replace(/[^\p{L}\p{N}_-]+/gu, '_')}${extname(path)}`);
}

/** Saves tables together, or each in a file named for it where the format holds one. */
export async function saveMany(
  tables: readonly Table[],
  out: string,
  options: { as?: string; add?: boolean; replace?: boolean } = {},
): Promise<Account[]> {
  const { as, add, replace } = options;
  const separate = writingFormatFor(out, as).holds === 'one' && tables.length > 1;
  const files: [string, readonly Table[]][] = separate
    ? tables.map((table) => [besideNamed(out, table.name), [table]])
    : [[out, tables]];
  if (separate && !replace) for (const [path] of files) await settleOutput(path, [], { as });
  const written: Account[] = [];
  for (const [path, some] of files)
    written.push(...(await saverFor(path, as).save(some, path, new Date().toISOString(), { add, replace })));
  return written;
}
