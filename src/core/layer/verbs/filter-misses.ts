import type { Finding } from '../../findings.ts';
import { nearestWord } from '../../nearest.ts';
import { parseExpression } from '../../table/cql2/parse.ts';
import type { Expression } from '../../table/cql2/syntax.ts';
import { fieldIndex } from '../../table/schema.ts';
import type { Batch } from '../batch.ts';
import type { Table } from '../layer.ts';

/** Different values that are kept of a column, to find what is near to the one that was asked for. */
const most = 5000;

interface Asked {
  column: number;
  name: string;
  value: string;
  found: Set<string>;
}

/** Looks what values there are instead of those that a condition asks for, while it has not been true for any row. */
export class FilterMisses {
  private readonly asked: Asked[];
  private readonly table: Table;

  constructor(where: string, table: Table) {
    this.table = table;
    const found = new Map<number, Set<string>>();
    this.asked = textsAsked(parseExpression(where)).flatMap(({ name, value }) => {
      const column = fieldIndex(table.schema, name);
      if (column < 0 || table.schema[column].type !== 'text') return [];
      const values = found.get(column) ?? new Set<string>();
      found.set(column, values);
      return [{ column, name, value, found: values }];
    });
  }

  see(batch: Batch): void {
    const seen = new Set<Set<string>>();
    for (const { column, found } of this.asked) {
      if (seen.has(found)) continue;
      seen.add(found);
      for (let i = 0; i < batch.length && found.size < most; i++) {
        const text = batch.columns[column].text(i);
        if (text !== null) found.add(text);
      }
    }
  }

  /** What is told when the condition was true for none of the rows. */
  finding(all: string, where: string): Finding {
    const words = this.asked.flatMap(({ name, value, found }) => {
      if (found.has(value)) return [];
      const near = nearestWord(value, found);
      if (near !== undefined) return [`nearest to “${value}” in ${name}: “${near}”`];
      const some = [...found].slice(0, 3).map((each) => `“${each}”`);
      return some.length === 0 ? [] : [`${name} is for example ${some.join(', ')}`];
    });
    return {
      code: 'filter-nothing',
      severity: 'warning',
      layer: this.table.name,
      words: `“${where}” is true for none of ${all}${words.length === 0 ? '' : `; ${words.join('; ')}`}.`,
    };
  }
}

/** Texts that fields are to be equal to. */
function textsAsked(e: Expression): { name: string; value: string }[] {
  const pair = (property: Expression, literal: Expression) =>
    property.op === 'property' && literal.op === 'literal' && typeof literal.value === 'string'
      ? [{ name: property.name, value: literal.value }]
      : [];
  switch (e.op) {
    case 'and':
    case 'or':
      return e.args.flatMap(textsAsked);
    case '=':
      return [...pair(e.left, e.right), ...pair(e.right, e.left)];
    case 'in':
      return e.list.flatMap((item) => pair(e.arg, item));
    default:
      return [];
  }
}
