import { counted } from '../../core/account.ts';
import type { Finding } from '../../core/findings.ts';
import type { DbaseColumns } from './dbase.ts';

/**
 * What a whole reading of a .dbf found: values that are none, and rows marked as deleted.
 *
 * @param along what went with the rows that were left out
 */
export function dbaseTroubles(file: string, columns: DbaseColumns, deleted: number, along = ''): Finding[] {
  const findings: Finding[] = [];
  if (columns.overflowed > 0)
    findings.push({
      code: 'number-overflow',
      severity: 'warning',
      words: `${file}: ${counted(columns.overflowed, 'number', 'numbers')} did not fit the field (asterisks), and left blank.`,
    });
  if (columns.unreadable > 0)
    findings.push({
      code: 'number-unreadable',
      severity: 'warning',
      words: `${file}: ${counted(columns.unreadable, 'value is', 'values are')} no number or day, though the field says so, and left blank.`,
    });
  if (deleted > 0)
    findings.push({
      code: 'rows-deleted',
      severity: 'note',
      words: `${file}: ${counted(deleted, 'row is', 'rows are')} marked as deleted and left out${along}.`,
    });
  return findings;
}
