import { Batch } from '../../core/layer/batch.ts';
import { type Table, tableOf } from '../../core/layer/layer.ts';
import { textColumn } from '../../core/table/column-builder.ts';

/** What structure messages say, in whichever syntax. */
export interface Structures {
  /** Code list → code → name. */
  codelists: Map<string, Map<string, string>>;
  /** Concept → name. */
  concepts: Map<string, string>;
  /** Dimensions, attributes and measures in the order of their structure. */
  components: { structure: string; id: string; concept: string; codelist?: string }[];
  /** Dataflow or structure → name. */
  flows: Map<string, string>;
}

export function emptyStructures(): Structures {
  return { codelists: new Map(), concepts: new Map(), components: [], flows: new Map() };
}

/** `urn:sdmx:org.sdmx.infomodel.codelist.Codelist=TSO:CL_SEX(1.0)` → `CL_SEX`; a bare id stays. */
export function idOfUrn(urn: string): string {
  const found = urn.length > 500 ? null : /=[^:]*:([^(]+)\([^)]*\)(?:\.(.+))?$/.exec(urn.trim());
  if (found === null) return urn.trim();
  return found[2] ?? found[1];
}

/** A structure as tables that describe: its variables, and the codes of their values. */
export function structureTables(name: string, structures: Structures): Table[] {
  const variables: (string | null)[][] = [[], [], [], []];
  const codes: (string | null)[][] = [[], [], []];
  const seen = new Set<string>();
  for (const { structure, id, concept, codelist } of structures.components) {
    if (seen.has(`${structure} ${id}`)) continue;
    seen.add(`${structure} ${id}`);
    variables[0].push(id);
    variables[1].push(structures.concepts.get(concept) ?? structures.concepts.get(id) ?? id);
    variables[2].push(concept);
    variables[3].push(structure);
    for (const [code, label] of structures.codelists.get(codelist ?? '') ?? []) {
      codes[0].push(id);
      codes[1].push(code);
      codes[2].push(label);
    }
  }
  if (variables[0].length === 0) {
    // Code lists alone: each is called by its own id.
    for (const [list, values] of structures.codelists) {
      for (const [code, label] of values) {
        codes[0].push(list.replace(/^CL_/, ''));
        codes[1].push(code);
        codes[2].push(label);
      }
    }
  }
  const table = (title: string, names: string[], columns: (string | null)[][]) =>
    tableOf({
      name: `${name}_${title}`,
      schema: names.map((each) => ({ name: each, type: 'text' as const })),
      batches: batchesOf(columns),
    });
  const tables: Table[] = [];
  if (variables[0].length > 0)
    tables.push(table('variables', ['variable', 'title', 'concept', 'table'], variables));
  if (codes[0].length > 0) tables.push(table('codes', ['variable', 'value', 'label'], codes));
  return tables;
}

function batchesOf(columns: readonly (string | null)[][]): Batch[] {
  const batches: Batch[] = [];
  const { length } = columns[0];
  for (let first = 0; first < length; first += 16_384) {
    const parts = columns.map((column) => column.slice(first, first + 16_384));
    batches.push(
      new Batch({
        length: parts[0].length,
        first,
        geometry: null,
        columns: parts.map((part) => textColumn(part)),
      }),
    );
  }
  return batches;
}
