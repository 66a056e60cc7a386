import { dictionary } from '../../core/dictionary.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import type { Field, FieldType } from '../../core/table/schema.ts';
import { type Machine, readText } from '../machine.ts';

const types: Readonly<Record<string, FieldType>> = dictionary({
  string: 'text',
  integer: 'integer',
  number: 'real',
  boolean: 'boolean',
});

/** Fields of the properties that a JSON Schema names (OGC 19-079r2, clause 6.2); geometries are none. */
export function fieldsOfSchema(text: string): Field[] {
  let document: unknown;
  try {
    document = JSON.parse(text);
  } catch {
    // It helps where it can be read.
    return [];
  }
  const { properties } = (document ?? {}) as { properties?: Record<string, unknown> };
  if (typeof properties !== 'object' || properties === null) return [];
  return Object.entries(properties).flatMap(([name, told]): Field[] => {
    const { type, title } = (told ?? {}) as { type?: unknown; title?: unknown };
    const known = [type].flat().find((each) => typeof each === 'string' && Object.hasOwn(types, each));
    if (known === undefined) return [];
    const field: Field = { name, type: types[known as string] };
    return [typeof title === 'string' && title !== name ? { ...field, title } : field];
  });
}

/**
 * A layer that came without features has no fields to go by. What was kept beside it says which it would have: a few
 * features from elsewhere, and the properties that the service can be asked about.
 */
export async function withKeptSchema(
  table: Layer | Table,
  folder: string,
  machine: Machine,
): Promise<Layer | Table> {
  if (table.count !== 0 || table.schema.length > 0 || !isLayer(table)) return table;
  // A file of the study folder itself came from no service that would have told.
  if (folder === '') return table;
  const fields: Field[] = [];
  const sample = `${folder}/sample.geojson`;
  if ((await machine.store.open(sample)) !== null)
    for (const { table: other } of await machine.open(sample)) fields.push(...other.schema);
  const schema = await readText(machine, `${folder}/schema.json`);
  for (const field of schema === null ? [] : fieldsOfSchema(schema)) {
    const at = fields.findIndex((each) => each.name === field.name);
    if (at < 0) fields.push(field);
    else fields[at] = { ...fields[at], ...field };
  }
  return { ...table, schema: fields };
}
