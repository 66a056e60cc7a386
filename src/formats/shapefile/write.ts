import { type Account, closeAccount, counted, grouped, openAccount } from '../../core/account.ts';
import { prjFromCrs } from '../../core/crs/wkt-write.ts';
import { IsomericError } from '../../core/errors.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';
import { isLayer, type Table } from '../../core/layer/layer.ts';
import { surveyForWriting, type WritingSurvey } from '../writing/survey.ts';
import type { Target } from '../writing/target.ts';
import { DbaseWriter } from './write-dbase.ts';
import { ShapeWriter } from './write-shapes.ts';

/** Offsets in a set are 32-bit counts that most programs take as signed: no file may pass two gibibytes. */
const largest = 2 ** 31 - 1;

const partNames = ['points', 'lines', 'areas'] as const;

interface SetPlan {
  /** 0 points, 1 lines, 2 areas. */
  dimension: number;
  shape: 1 | 3 | 5 | 8;
  name: string;
  features: number;
}

/** Bytes of the .shp that a set will have at most. */
function sizeOf(plan: SetPlan, survey: WritingSurvey): number {
  const { parts, rings, vertices } = survey.load[plan.dimension];
  const ordinates = (survey.z ? 1 : 0) + (survey.z || survey.m ? 1 : 0);
  if (plan.shape === 1) return 100 + survey.count * (28 + 8 * ordinates);
  return 100 + survey.count * (52 + 16 * ordinates) + 4 * (rings + parts) + vertices * (16 + 8 * ordinates);
}

function planSets(survey: WritingSurvey, base: string): SetPlan[] {
  const present = [0, 1, 2].filter((dimension) => survey.load[dimension].features > 0);
  if (present.length === 0) {
    // Nothing but blanks: the declared kind, if any, says what they would be.
    const declared = [Kind.Point, Kind.LineString, Kind.Polygon].findIndex(
      (kind) => (survey.kinds & ((1 << kind) | (1 << (kind + 3)))) !== 0,
    );
    present.push(Math.max(0, declared));
  }
  return present.map((dimension) => {
    const { features, parts } = survey.load[dimension];
    const shape =
      dimension === 0 ? (parts > features || hasMultiPoints(survey) ? 8 : 1) : dimension === 1 ? 3 : 5;
    return {
      dimension,
      shape,
      name: present.length === 1 ? base : `${base}_${partNames[dimension]}`,
      features,
    };
  });
}

function hasMultiPoints(survey: WritingSurvey): boolean {
  return (survey.kinds & (1 << Kind.MultiPoint)) !== 0;
}

/**
 * Writes a layer as a shapefile set (.shp, .shx, .dbf, .prj, .cpg), or as one set a kind when kinds are mixed. Read
 * twice: widths, kinds and sizes are needed before the first byte.
 */
export async function writeShapefile(table: Table, target: Target, now: string): Promise<Account[]> {
  if (!isLayer(table)) {
    throw new IsomericError('geometry-missing', `${table.name} has no geometry, so it is no shapefile.`, {
      advice: 'Save it as .dbf or .csv.',
      blame: 'usage',
    });
  }
  const account = openAccount('Write', table.name);
  const base = target.name.replace(/\.[^.]*$/, '');
  const survey = await surveyForWriting(table, true);
  const plans = planSets(survey, base);
  for (const plan of plans) {
    const bytes = sizeOf(plan, survey);
    if (bytes > largest) {
      throw new IsomericError(
        'shapefile-too-large',
        `${table.name} would take about ${grouped(Math.ceil(bytes / 2 ** 20))} MiB as a .shp, more than the 2 GiB that the format holds.`,
        { advice: 'Clip it, or save to a GeoPackage (.gpkg).' },
      );
    }
  }
  const sets = plans.map((plan) => {
    const dbf = target.create(`${plan.name}.dbf`);
    const rows = new DbaseWriter(dbf, table.schema, survey, now, table.name);
    if (33 + 32 * table.schema.length + rows.recordLength * survey.count > largest) {
      throw new IsomericError(
        'shapefile-too-large',
        `The ${grouped(survey.count)} rows of ${table.name} take ${rows.recordLength} bytes each, more than the 2 GiB that a .dbf holds.`,
        { advice: 'Choose columns (--columns), or save to a GeoPackage (.gpkg).' },
      );
    }
    const shapes = new ShapeWriter(
      target.create(`${plan.name}.shp`),
      target.create(`${plan.name}.shx`),
      plan.shape,
      survey.z,
      survey.m,
    );
    target.create(`${plan.name}.cpg`).write(new TextEncoder().encode(rows.codePage));
    if (table.crs !== null)
      target.create(`${plan.name}.prj`).write(new TextEncoder().encode(prjFromCrs(table.crs)));
    else target.remove(`${plan.name}.prj`);
    for (const old of ['sbn', 'sbx', 'qix', 'dbt', 'fpt']) target.remove(`${plan.name}.${old}`);
    return { ...plan, rows, shapes, written: 0 };
  });
  let all = 0;
  let split = 0;
  for await (const batch of table.batches()) {
    const geometry = batch.geometry!;
    all += batch.length;
    for (let i = 0; i < batch.length; i++) {
      let classes = 0;
      for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++)
        classes |= 1 << (geometry.kindOfPart(i, p) - 1);
      // A feature without vertices goes, as a null shape, where its kind belongs; without a kind into the first set.
      if (classes === 0) {
        const kind = geometry.kind[i];
        const own = sets.findIndex((set) => kind === set.dimension + 1 || kind === set.dimension + 4);
        classes = 1 << sets[Math.max(0, own)].dimension;
      }
      let times = 0;
      for (const set of sets) {
        if ((classes & (1 << set.dimension)) === 0) continue;
        set.shapes.add(geometry, i);
        set.rows.add(batch.columns, i);
        set.written++;
        times++;
      }
      if (times > 1) split++;
    }
  }
  for (const set of sets) {
    set.shapes.finish();
    set.rows.finish();
  }
  if (table.crs === null) account.notes.push('The layer has no CRS; no .prj was written.');
  if (sets.length > 1)
    account.notes.push(
      `A shapefile holds one kind: written as ${sets.map((set) => `${set.name}.shp (${grouped(set.written)})`).join(', ')}.`,
    );
  if (split > 0)
    account.notes.push(
      `${counted(split, 'collection was', 'collections were')} divided by kind, with the same attributes in each set.`,
    );
  const filled = sets.reduce((sum, set) => sum + set.shapes.filled, 0);
  if (filled > 0)
    account.notes.push(
      `A shapefile has heights for all or for none: ${counted(filled, 'vertex', 'vertices')} without one got 0.`,
    );
  account.notes.push(...sets[0].rows.notes);
  account.counts = { written: all };
  closeAccount(account, [all, `${table.name} written to ${sets.map((set) => `${set.name}.shp`).join(', ')}`]);
  return [account];
}

/** Writes the rows of a table, or of a layer without its geometry, as a .dbf alone. */
export async function writeDbase(table: Table, target: Target, now: string): Promise<Account[]> {
  const account = openAccount('Write', table.name);
  const survey = await surveyForWriting(table, true);
  const base = target.name.replace(/\.[^.]*$/, '');
  const writer = new DbaseWriter(target.create(target.name), table.schema, survey, now, table.name);
  target.create(`${base}.cpg`).write(new TextEncoder().encode(writer.codePage));
  let rows = 0;
  for await (const batch of table.batches()) {
    for (let i = 0; i < batch.length; i++) writer.add(batch.columns, i);
    rows += batch.length;
  }
  writer.finish();
  if (isLayer(table)) account.notes.push('A .dbf holds the attributes only; the geometry was left out.');
  account.notes.push(...writer.notes);
  account.counts = { written: rows };
  closeAccount(account, [rows, `rows of ${table.name} written to ${target.name}`]);
  return [account];
}
