import { IsomericError } from '../../core/errors.ts';
import { numberIn } from '../../core/field/names.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import { suggest } from '../../core/nearest.ts';
import { chooseVariables } from '../../core/table/choose-variables.ts';
import type { Value } from '../../core/table/column.ts';
import { fieldsIn } from '../../core/table/cql2/needs.ts';
import { parseExpression } from '../../core/table/cql2/parse.ts';
import { type KeyPair, parseKeyPairs } from '../../core/table/keys/key-pairs.ts';
import { changeOf, parseMends } from '../../core/table/keys/mends.ts';
import { fieldIndex } from '../../core/table/schema.ts';
import { columnFromText } from '../../verbs/fields.ts';
import { verbNamed } from '../../verbs/register.ts';
import { studyIn } from '../area-of-study.ts';
import type { Study } from '../file/schema.ts';
import { datasetsOf, type StudyStep } from '../file/steps.ts';
import { filesFromLedger, type GatheredFiles } from '../gathering/gather.ts';
import { Ledger } from '../ledger/ledger.ts';
import { type Machine, silentReporter } from '../machine.ts';
import { buildArea } from '../preparing/area.ts';
import { Coverage } from '../preparing/coverage.ts';
import { partsOf, preparedPath, studyCrs } from '../preparing/open-datasets.ts';
import { planLayer } from '../preparing/prepare.ts';
import { keysIn } from './difference.ts';
import { othersOf } from './recipes.ts';

/** A row of a file, as it was received. */
export interface TracedRow {
  path: string;
  /** Row among those of data, from 1. */
  row: number;
  /** What stands there in the field. */
  value: Value;
  sha256: string;
  /** Is the file as it was received? */
  intact: boolean;
  url: string;
  at: string;
  citation?: string;
}

/** A file that a value rests on as a whole. */
export type TracedFile = Omit<TracedRow, 'row' | 'value'>;

/** Where one value came from. */
export interface Trace {
  /** `wards`, or the dataset that it was taken from. */
  table: string;
  field: string;
  value: Value;
  /** The step of the study that made it; null where it came with the data. */
  step: { number: number; verb: string; words: string; line: number | undefined } | null;
  /** Rows that it stands in. */
  rows: TracedRow[];
  /** Files that it was worked out from, where no single row gave it. */
  files: TracedFile[];
  /** Values that it was worked out from. */
  from: Trace[];
}

/** Values beneath values are followed so deep. */
const deepest = 12;
/** Rows of one key that are told. */
const mostRows = 20;

/** Which value is asked for. */
export interface TraceRequest {
  /** The key of the feature. */
  of: string;
  field: string;
  /** Layer; found where only one has the key and the field. */
  layer?: string;
  /** Field with the key; found where one has it. */
  by?: string;
}

/**
 * Where a value of a prepared layer came from: steps, datasets, files with their checksums, rows.
 *
 * @throws IsomericError `trace-unmet`, `field-unknown`, `not-prepared`
 */
export async function traceValue(machine: Machine, request: TraceRequest): Promise<Trace> {
  const quiet: Machine = { ...machine, reporter: silentReporter };
  const study = await studyIn(quiet);
  const ledger = await Ledger.load(quiet);
  const files = filesFromLedger(study, ledger);
  const area = await buildArea(study, await studyCrs(study.crs, quiet), files, quiet);
  if ((await quiet.store.open(preparedPath)) === null)
    throw new IsomericError('not-prepared', 'Nothing has been prepared yet.', {
      advice: 'Run the study first.',
      blame: 'usage',
    });
  const prepared = new Map((await quiet.open(preparedPath)).map(({ table }) => [table.name, table]));
  const { layer, key, row } = await findFeature(request, prepared, study);
  const stages = new Map<string, (Layer | Table)[]>();
  await planLayer(layer, {
    study,
    area,
    files,
    machine: quiet,
    coverage: new Coverage(),
    stage(name, step, table) {
      const own = stages.get(name) ?? [];
      own[step] = table;
      stages.set(name, own);
    },
  });
  return new Tracer(study, ledger, files, quiet, stages).value(layer, request.field, { key, row }, 0);
}

/** A feature: the field that names it, and all its values. */
interface Feature {
  key: { field: string; value: string };
  row: Readonly<Record<string, Value>>;
}

async function findFeature(
  { of, field, layer: wanted, by }: TraceRequest,
  prepared: ReadonlyMap<string, Layer | Table>,
  study: Study,
): Promise<{ layer: string; key: Feature['key']; row: Feature['row'] }> {
  if (wanted !== undefined && !prepared.has(wanted))
    throw new IsomericError('layer-unknown', `There is no prepared layer “${wanted}”.`, {
      advice: suggest(wanted, [...prepared.keys()]),
      blame: 'usage',
    });
  const withField = [...prepared.values()].filter(
    (table) => (wanted === undefined || table.name === wanted) && fieldIndex(table.schema, field) >= 0,
  );
  if (withField.length === 0)
    throw new IsomericError('field-unknown', `No prepared layer has a field “${field}”.`, {
      wrong: field,
      advice: suggest(field, [
        ...new Set([...prepared.values()].flatMap(({ schema }) => schema.map(({ name }) => name))),
      ]),
      blame: 'usage',
    });
  const met: { layer: string; key: Feature['key']; row: Feature['row'] }[] = [];
  for (const table of withField) {
    const checked = keysIn(study, table.name);
    const names = by === undefined ? [...new Set([...checked, ...likelyKeys(table)])] : [by];
    const found = await rowWith(table, names, of);
    if (found !== null) met.push({ layer: table.name, ...found });
  }
  if (met.length === 1 || (met.length > 1 && wanted !== undefined)) return met[0];
  if (met.length === 0)
    throw new IsomericError('trace-unmet', `No feature with a field “${field}” is called “${of}”.`, {
      advice: 'Name the field of the key with --by, and the layer with --layer.',
      blame: 'usage',
    });
  throw new IsomericError(
    'trace-unclear',
    `“${of}” with a field “${field}” stands in ${met.map(({ layer }) => layer).join(', ')}.`,
    { advice: 'Say which one with --layer.', blame: 'usage' },
  );
}

const likelyKeys = ({ schema }: Table) =>
  schema
    .filter(({ type, featureId }) => (type === 'text' || type === 'integer') && featureId !== 'numbering')
    .map(({ name }) => name);

async function rowWith(
  table: Table,
  names: readonly string[],
  key: string,
): Promise<{ key: Feature['key']; row: Feature['row'] } | null> {
  const columns = names.map((name) => fieldIndex(table.schema, name)).filter((c) => c >= 0);
  const found: { place: number; c: number; row: Feature['row'] }[] = [];
  for await (const batch of table.batches())
    for (let i = 0; i < batch.length; i++) {
      const place = columns.findIndex((c) => batch.columns[c].text(i) === key);
      if (place < 0) continue;
      const row = Object.fromEntries(table.schema.map(({ name }, c) => [name, batch.columns[c].value(i)]));
      found.push({ place, c: columns[place], row });
    }
  const [best] = found.sort((a, b) => a.place - b.place);
  return best === undefined ? null : { key: { field: table.schema[best.c].name, value: key }, row: best.row };
}

class Tracer {
  constructor(
    private readonly study: Study,
    private readonly ledger: Ledger,
    private readonly files: GatheredFiles,
    private readonly machine: Machine,
    private readonly stages: ReadonlyMap<string, readonly (Layer | Table)[]>,
  ) {}

  /** Where a field of a feature of a layer came from, going back from step `before` (the last one when left out). */
  async value(
    layer: string,
    field: string,
    feature: Feature,
    depth: number,
    before?: number,
  ): Promise<Trace> {
    const stages = this.stages.get(layer);
    const steps = this.study.prepare[layer] ?? [];
    const trace: Trace = {
      table: layer,
      field,
      value: feature.row[field] ?? null,
      step: null,
      rows: [],
      files: [],
      from: [],
    };
    if (depth > deepest) return trace;
    const last = before ?? steps.length;
    for (let k = last; stages !== undefined && k > 0; k--) {
      const step = steps[k - 1];
      if (!makes(step, field, stages[k - 1], stages[k])) continue;
      trace.step = {
        number: k,
        verb: step.verb,
        words: stepWords(step, field),
        line: this.study.written.value(['prepare', layer, k - 1]).line,
      };
      await this.through(trace, step, { layer, k, field, feature, depth });
      return trace;
    }
    trace.rows = await this.rowsOf(layer, field, feature.key);
    if (trace.rows.length === 0) trace.files = await this.filesOf(layer);
    return trace;
  }

  private async through(
    trace: Trace,
    step: StudyStep,
    {
      layer,
      k,
      field,
      feature,
      depth,
    }: { layer: string; k: number; field: string; feature: Feature; depth: number },
  ): Promise<void> {
    if (step.verb === 'join') return this.throughJoin(trace, step, { layer, k, field, feature, depth });
    const expression = expressionFor(step, field);
    if (expression !== null && step.verb === 'compute') {
      for (const name of namesIn(expression))
        trace.from.push(
          await this.value(layer, name, feature, depth + 1, k - 1 < 0 ? 0 : stepBefore(step, name, field, k)),
        );
      return;
    }
    // What is worked out of many features has no row of its own: the files say what it rests on.
    for (const { name, gathered } of othersOf(step))
      for (const file of await (gathered ? this.filesOf(name) : this.filesBelow(name)))
        trace.files.push(file);
    if (trace.files.length === 0 || otherRows.has(step.verb))
      for (const file of await this.filesOf(layer))
        if (!trace.files.some(({ path }) => path === file.path)) trace.files.unshift(file);
  }

  private async throughJoin(
    trace: Trace,
    step: StudyStep,
    {
      layer,
      k,
      field,
      feature,
      depth,
    }: { layer: string; k: number; field: string; feature: Feature; depth: number },
  ): Promise<void> {
    const tables = datasetsOf(step).map(({ name }) => name);
    const [table] = tables;
    const pairs = parseKeyPairs(String(step.written.on));
    const other = nameInTable(step, field, this.stages.get(layer)![k - 1]);
    const mends = typeof step.written.repair === 'string' ? parseMends(step.written.repair) : [];
    const own = await this.keyAt(layer, k - 1, pairs[0], feature);
    // Of several tables, or of a key of several fields, no row is claimed that was not looked for.
    if (own !== null && tables.length === 1 && pairs.length === 1 && pairs[0].other.length === 1) {
      const otherKey = pairs[0].other[0].name;
      const source = table in this.study.prepare ? this.stages.get(table)?.at(-1) : undefined;
      for (const { match, loose } of matchers(own, mends)) {
        const same = (value: Value) => !loose || String(value) === String(trace.value);
        if (source !== undefined) {
          const found = await rowMatching(source, otherKey, match, (row) => same(row[other] ?? null));
          if (found !== null) trace.from.push(await this.value(table, other, found, depth + 1));
        } else {
          const rows = await this.rowsOf(table, other, { field: otherKey, value: own }, match);
          trace.rows = rows.filter(({ value }) => same(value));
        }
        if (trace.from.length > 0 || trace.rows.length > 0) return;
      }
    }
    for (const name of tables) trace.files.push(...(await this.filesBelow(name)));
  }

  /** The value of a key field of the feature before a step: in the result, or where it went on the way, at that step. */
  private async keyAt(layer: string, k: number, pair: KeyPair, feature: Feature): Promise<string | null> {
    if (pair.own.length !== 1) return null;
    const [{ name }] = pair.own;
    const told = feature.row[name];
    if (told !== undefined && told !== null) return String(told);
    const table = this.stages.get(layer)?.[k];
    if (table === undefined || fieldIndex(table.schema, feature.key.field) < 0) return null;
    const found = await rowWith(table, [feature.key.field], feature.key.value);
    const value = found?.row[name];
    return value === undefined || value === null ? null : String(value);
  }

  /** Rows of the files of a dataset that a key names, with what stands in a field. */
  private async rowsOf(
    name: string,
    field: string,
    key: Feature['key'],
    match: (text: string) => boolean = (text) => text === key.value,
  ): Promise<TracedRow[]> {
    const dataset = this.study.gather[name];
    if (dataset === undefined || dataset.class !== undefined) return [];
    const paths = this.files.get(name) ?? [];
    const parts = await partsOf(name, this.study, this.files, this.machine);
    const rows: TracedRow[] = [];
    for (const [k, part] of parts.entries()) {
      const c = fieldIndex(part.schema, key.field);
      if (c < 0) continue;
      const named = placeOf(part, field, dataset.variables);
      const path = paths.length === parts.length ? paths[k] : paths[0];
      const file = await this.file(path);
      let at = 0;
      for await (const batch of part.batches()) {
        for (let i = 0; i < batch.length; i++) {
          at++;
          const text = batch.columns[c].text(i);
          if (text === null || !match(text) || rows.length >= mostRows) continue;
          rows.push({ ...file, row: at, value: named < 0 ? null : batch.columns[named].value(i) });
        }
      }
    }
    return rows;
  }

  private async file(path: string): Promise<TracedFile> {
    const receipt = this.ledger.receipts.get(path);
    const sum = await this.machine.store.checksum(path);
    return {
      path,
      sha256: receipt?.sha256 ?? sum ?? '',
      intact: receipt !== undefined && sum === receipt.sha256,
      url: receipt?.url ?? path,
      at: receipt?.at ?? '',
      ...(receipt?.citation === undefined ? {} : { citation: receipt.citation }),
    };
  }

  private filesOf(name: string): Promise<TracedFile[]> {
    return Promise.all((this.files.get(name) ?? []).map((path) => this.file(path)));
  }

  /** Files of a dataset, and of all that its steps bring into it. */
  private async filesBelow(name: string, seen = new Set<string>()): Promise<TracedFile[]> {
    if (seen.has(name)) return [];
    seen.add(name);
    const own = await this.filesOf(name);
    for (const step of this.study.prepare[name] ?? [])
      for (const other of othersOf(step))
        for (const file of await (other.gathered
          ? this.filesOf(other.name)
          : this.filesBelow(other.name, seen)))
          if (!own.some(({ path }) => path === file.path)) own.push(file);
    return own;
  }
}

/** Verbs after which a row is no row of the data any more: all of its values are theirs. */
const otherRows = new Set(['carry', 'crosswalk', 'group', 'widen', 'lengthen', 'dissolve', 'motion']);

/** Did a step make a field, or make it anew? */
function makes(step: StudyStep, field: string, before: Table | undefined, after: Table | undefined): boolean {
  if (before === undefined || after === undefined || fieldIndex(after.schema, field) < 0) return false;
  if (fieldIndex(before.schema, field) < 0 || otherRows.has(step.verb)) return true;
  return step.verb === 'compute' && expressionFor(step, field) !== null;
}

/** The expression by which a step computes a field; null where it does not. */
function expressionFor({ verb, written }: StudyStep, field: string): string | null {
  const own = verbNamed(verb)?.own;
  const compute = own == null ? undefined : (written[own] as Readonly<Record<string, unknown>> | undefined);
  const text =
    typeof compute === 'object' && compute !== null && Object.hasOwn(compute, field)
      ? compute[field]
      : undefined;
  return typeof text === 'string' ? text : null;
}

function namesIn(expression: string): string[] {
  try {
    return [...fieldsIn(parseExpression(expression))];
  } catch (error) {
    // A figure of many rows is no expression; its files are told.
    if (error instanceof IsomericError) return [];
    throw error;
  }
}

/** A field that the same step computes before is of that step; its own former self is of one before. */
function stepBefore(step: StudyStep, name: string, field: string, k: number): number {
  return name !== field && expressionFor(step, name) !== null ? k : k - 1;
}

/** What a joined field is called in its table. */
function nameInTable(step: StudyStep, field: string, before: Table): string {
  const columns = Array.isArray(step.written.columns)
    ? (step.written.columns as string[]).map(columnFromText)
    : [];
  for (const column of columns) if (typeof column !== 'string' && column[1] === field) return column[0];
  // A name that was taken got a number behind it.
  const number = numberIn(field);
  const plain = number?.after === '' && number.before.endsWith('_') ? number.before.slice(0, -1) : field;
  return fieldIndex(before.schema, field) < 0 && plain !== field && fieldIndex(before.schema, plain) >= 0
    ? plain
    : field;
}

/** The column of a file that a field of a dataset was, whatever the dataset calls it; -1 where there is none. */
function placeOf(part: Table, field: string, variables: readonly string[] | undefined): number {
  const own = fieldIndex(part.schema, field);
  if (own >= 0 || variables === undefined) return own;
  const chosen = chooseVariables(part, variables).columns.find(
    (column) => typeof column !== 'string' && column[1] === field,
  );
  return chosen === undefined ? -1 : fieldIndex(part.schema, chosen[0]);
}

/**
 * Whether a key of a table is that of the feature, as the step compares them: exactly; and, where the step repairs keys by what only
 * all of them tell (how many zeros, how many last signs), loosely: then the value must be the same, too.
 */
function matchers(
  own: string,
  mends: ReturnType<typeof parseMends>,
): { match: (text: string) => boolean; loose: boolean }[] {
  if (mends.length === 0) return [{ match: (text) => text === own, loose: false }];
  const bare = (text: string) => text.trim().replace(/^0+/, '').toLowerCase();
  const [mine, theirs] = [changeOf(mends, 'layer'), changeOf(mends, 'table')];
  const changed = mine === null ? own : mine(own);
  const mended = (text: string) => (theirs === null ? text : theirs(text));
  return [
    { match: (text) => mended(text) === changed, loose: false },
    {
      match(text) {
        const other = mended(text);
        return bare(other) === bare(changed) || (other.length > changed.length && other.endsWith(changed));
      },
      loose: true,
    },
  ];
}

async function rowMatching(
  table: Table,
  field: string,
  match: (text: string) => boolean,
  holds: (row: Feature['row']) => boolean,
): Promise<Feature | null> {
  const c = fieldIndex(table.schema, field);
  if (c < 0) return null;
  for await (const batch of table.batches())
    for (let i = 0; i < batch.length; i++) {
      const text = batch.columns[c].text(i);
      if (text === null || !match(text)) continue;
      const row = Object.fromEntries(table.schema.map(({ name }, k) => [name, batch.columns[k].value(i)]));
      if (holds(row)) return { key: { field, value: text }, row };
    }
  return null;
}

function stepWords(step: StudyStep, field: string): string {
  const { verb, written } = step;
  const expression = expressionFor(step, field);
  if (expression !== null) return `${verb}: ${field} = ${expression}`;
  const own = verbNamed(verb)?.own;
  const rest = Object.entries(written).filter(([name]) => name !== own);
  const text = (value: unknown) => (typeof value === 'string' ? value : JSON.stringify(value));
  const first =
    own === null || own === undefined || written[own] === undefined ? verb : `${verb}: ${text(written[own])}`;
  return [first, ...rest.map(([name, value]) => `${name}: ${text(value)}`)].join(', ').slice(0, 400);
}
