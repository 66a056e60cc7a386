import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { asPlainCell } from '../../formats/delimited/formulas.ts';

export interface DictionaryRow {
  layer: string;
  field: string;
  type: string;
  title: string;
  unit: string;
  description: string;
  /** What the provider calls it, whom it counts, and in which table it stands. */
  code: string;
  universe: string;
  table: string;
  /** Field with its margin of error. */
  margin: string;
  filled: number;
  blank: number;
  /** Why values are blank or bounds: `2 suppressed; 1 missing`. */
  reasons: string;
  example: string;
}

/** One row a field: what it is called, what it means, how many values it has, an example. */
export async function dataDictionary(layers: Iterable<Layer | Table>): Promise<DictionaryRow[]> {
  const rows: DictionaryRow[] = [];
  for (const table of layers) {
    const own = table.schema.map(
      (field): DictionaryRow => ({
        layer: table.name,
        field: field.name,
        type: field.type,
        title: field.title ?? '',
        unit: field.unit ?? '',
        description: field.description ?? (field.featureId === undefined ? '' : 'id of the feature'),
        code: field.code ?? '',
        universe: field.universe ?? '',
        table: field.table ?? '',
        margin: field.margin ?? '',
        filled: 0,
        blank: 0,
        reasons: '',
        example: '',
      }),
    );
    const reasons = table.schema.map(() => new Map<string, number>());
    for await (const batch of table.batches()) {
      batch.columns.forEach((column, c) => {
        for (let i = 0; i < batch.length; i++) {
          const mark = column.marks === null ? 0 : column.marks[i];
          if (mark > 0) {
            const reason = table.schema[c].marks?.[mark - 1]?.reason ?? 'marked';
            reasons[c].set(reason, (reasons[c].get(reason) ?? 0) + 1);
          }
          if (column.isNull(i)) own[c].blank++;
          else {
            own[c].filled++;
            if (own[c].example === '') own[c].example = column.text(i) ?? '';
          }
        }
      });
    }
    own.forEach((row, c) => {
      row.reasons = [...reasons[c]].map(([reason, times]) => `${times} ${reason}`).join('; ');
    });
    rows.push(...own);
  }
  return rows;
}

/** The dictionary as comma-separated text, which people open in office programs: nothing in it is a formula. */
export function dictionaryText(rows: readonly DictionaryRow[]): string {
  const quoted = (value: string | number) => {
    const text = typeof value === 'number' ? String(value) : asPlainCell(value);
    return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  const head = [
    'layer',
    'field',
    'type',
    'title',
    'unit',
    'description',
    'code',
    'universe',
    'table',
    'margin',
    'filled',
    'blank',
    'reasons',
    'example',
  ] as const;
  return [head.join(','), ...rows.map((row) => head.map((key) => quoted(row[key])).join(','))]
    .map((line) => `${line}\r\n`)
    .join('');
}

/** `296 areas` */
export function kindWords(table: Table): string {
  if (!isLayer(table)) return 'table';
  const plain = new Set((table.kinds ?? []).map((kind) => kind.replace('Multi', '')));
  if (plain.size !== 1) return plain.size === 0 ? 'geometry' : 'mixed geometry';
  const [only] = plain;
  return only === 'Point'
    ? 'points'
    : only === 'LineString'
      ? 'lines'
      : only === 'Polygon'
        ? 'areas'
        : 'collections';
}
