import {
  type ColumnProfile,
  ColumnProfiler,
  counted,
  crsFindings,
  emptyBox,
  type Finding,
  grouped,
  growBox,
  IsomericError,
  isEmptyBox,
  isLayer,
  type KindName,
  kindNames,
  recogniseRows,
  rowFindings,
  suggest,
} from '../../core/index.ts';
import type { Opened, OtherFile } from '../../formats/index.ts';
import { lookPath } from '../../node/index.ts';
import { type GridView, gridView, printGrid } from '../grids.ts';
import { findingText, type Output, printJson, textTable } from '../output.ts';
import { blankText, printProfile, typeText, valuesText } from '../profiles.ts';
import { localPath } from '../streams.ts';
import { type AddCommand, openOptions, outputOf, type TableReading } from './command.ts';

interface LookOptions extends TableReading {
  geometry?: string;
  field?: string;
}

interface FieldView {
  name: string;
  type: string;
  role?: string;
  featureId?: 'given' | 'numbering';
  title?: string;
  unit?: string;
  universe?: string;
  table?: string;
  blank: number;
  reasons: ColumnProfile['reasons'];
  distinct: number | null;
  least: number | null;
  greatest: number | null;
  mean: number | null;
  quantiles: number[];
  histogram: number[];
  examples: string[];
  values: ColumnProfile['values'];
}

interface LayerView {
  name: string;
  title?: string;
  within: string;
  format: string;
  parts: readonly string[];
  describes: boolean;
  geometry: KindName[] | null;
  count: number;
  crs: { code: string | null; name: string } | null;
  extent: [number, number, number, number] | null;
  fields: FieldView[];
  troubles: Finding[];
  profiles: ColumnProfile[];
}

/** Values of a column that are listed in `--json`. */
const listedValues = 20;

function fieldView(profile: ColumnProfile): FieldView {
  const { field } = profile;
  return {
    name: field.name,
    type: field.type,
    role: field.role,
    featureId: field.featureId,
    title: field.title,
    unit: field.unit,
    universe: field.universe,
    table: field.table,
    blank: profile.blank,
    reasons: profile.reasons,
    distinct: profile.distinct,
    least: profile.least,
    greatest: profile.greatest,
    mean: profile.mean,
    quantiles: profile.quantiles,
    histogram: profile.histogram,
    examples: profile.values.slice(0, 3).map(({ value }) => value),
    values: profile.values.slice(0, listedValues),
  };
}

/** Reads a layer once, to the end, and tells what is in it. */
async function view({ table, format, within, parts, describes }: Opened): Promise<LayerView> {
  const profilers = table.schema.map((field) => new ColumnProfiler(field));
  const box = emptyBox();
  let count = 0;
  let kinds = 0;
  for await (const batch of table.batches()) {
    count += batch.length;
    if (batch.geometry !== null) {
      growBox(box, batch.geometry.box());
      for (let i = 0; i < batch.length; i++) kinds |= 1 << batch.geometry.kind[i];
    }
    batch.columns.forEach((column, c) => {
      profilers[c].see(column);
    });
  }
  const crs = isLayer(table) ? table.crs : null;
  const troubles = [...table.findings];
  if (crs !== null) troubles.push(...crsFindings(crs, box));
  if (!isLayer(table) && describes !== true) troubles.push(...rowFindings(table, await recogniseRows(table)));
  const profiles = profilers.map((profiler) => profiler.close());
  return {
    name: table.name,
    title: table.title,
    within,
    format,
    parts,
    describes: describes === true,
    geometry: isLayer(table) ? kindNames.filter((_, k) => k > 0 && (kinds & (1 << k)) !== 0) : null,
    count,
    crs: crs === null ? null : { code: crs.code ?? null, name: crs.name },
    extent: isEmptyBox(box) ? null : box,
    fields: profiles.map(fieldView),
    troubles,
    profiles,
  };
}

function kindText(layer: LayerView): string {
  const names: Record<string, string> = {
    Point: 'points',
    LineString: 'lines',
    Polygon: 'areas',
    MultiPoint: 'multi-points',
    MultiLineString: 'multi-lines',
    MultiPolygon: 'multi-areas',
    GeometryCollection: 'collections',
  };
  if (layer.geometry!.length === 0)
    return layer.count === 1 ? 'feature without geometry' : 'features without geometry';
  const words = layer.geometry!.map((kind) => names[kind]).join(' and ');
  return layer.count === 1 ? words.slice(0, -1) : words;
}

/** `4,302 bytes`, `1.4 MB` */
function sizeText(bytes: number): string {
  return bytes < 100_000 ? `${grouped(bytes)} bytes` : `${grouped(Number((bytes / 1e6).toFixed(1)))} MB`;
}

/** A line a field; titles only where there are any. */
function printFields(output: Output, profiles: readonly ColumnProfile[]): void {
  const titled = profiles.some(({ field }) => field.title !== undefined);
  const rows = profiles.map((profile) => {
    const { field } = profile;
    const unit = field.unit === undefined ? '' : ` (${field.unit})`;
    return [
      field.name,
      typeText(field),
      profile.distinct === null ? 'many' : grouped(profile.distinct),
      blankText(profile),
      valuesText(profile, 3),
      `${field.title ?? ''}${unit}`,
    ].slice(0, titled ? 6 : 5);
  });
  const marked = profiles.some((profile) => profile.reasons.length > 0);
  const names = ['field', 'type', 'different', marked ? 'blank, marked' : 'blank', 'values', 'title'];
  const [head, ...lines] = textTable(
    names.slice(0, titled ? 6 : 5),
    rows,
    [false, false, true, true, false, false],
    44,
  );
  output.line(output.colours.dim(`  ${head}`));
  for (const line of lines) output.line(`  ${line}`);
}

function print(
  output: Output,
  path: string,
  layers: readonly LayerView[],
  grids: readonly GridView[],
  others: readonly OtherFile[],
): void {
  const { colours } = output;
  const tables = layers.filter((layer) => layer.geometry === null).length;
  const counts = [
    layers.length > tables || tables + grids.length === 0
      ? counted(layers.length - tables, 'layer', 'layers')
      : '',
    tables > 0 ? counted(tables, 'table', 'tables') : '',
    grids.length > 0 ? counted(grids.length, 'grid', 'grids') : '',
    others.length > 0 ? counted(others.length, 'other file', 'other files') : '',
  ];
  output.line(`${colours.bold(path)}  ${counts.filter((count) => count !== '').join(', ')}`);
  for (const layer of layers) {
    output.line();
    output.line(
      `${colours.bold(colours.cyan(layer.name))}  ${layer.format}${layer.within === '' ? '' : `, ${layer.within}`}`,
    );
    if (layer.parts.length > 0) output.line(colours.dim(`  made of ${layer.parts.join(', ')}`));
    if (layer.title !== undefined) output.line(`  ${layer.title}`);
    output.line(
      `  ${layer.geometry === null ? counted(layer.count, 'row', 'rows') : `${grouped(layer.count)} ${kindText(layer)}`}`,
    );
    if (layer.geometry !== null) {
      output.line(
        `  CRS     ${layer.crs === null ? colours.yellow('not known') : layer.crs.code === null ? layer.crs.name : `${layer.crs.code} (${layer.crs.name})`}`,
      );
      const digits = layer.extent?.every((v) => Math.abs(v) <= 400) ? 6 : 2;
      if (layer.extent !== null)
        output.line(
          `  extent  ${layer.extent
            .slice(0, 2)
            .map((v) => v.toFixed(digits))
            .join(', ')} to ${layer.extent
            .slice(2)
            .map((v) => v.toFixed(digits))
            .join(', ')}`,
        );
    }
    if (layer.describes) output.line(colours.dim('  describes the columns of the others'));
    if (layer.profiles.length > 0) printFields(output, layer.profiles);
    for (const trouble of layer.troubles) output.line(`  ${findingText(output, shortened(trouble, path))}`);
  }
  for (const grid of grids) printGrid(output, grid, (finding) => shortened(finding, path));
  if (others.length === 0) return;
  output.line();
  output.line(colours.bold('Other files'));
  for (const other of others) {
    const size = other.size > 0 ? `${sizeText(other.size)}, ` : '';
    output.line(`  ${other.path}  ${colours.dim(`${size}${other.why}`)}`);
    if (other.damage !== undefined) output.line(`    ${findingText(output, shortened(other.damage, path))}`);
  }
}

/** A finding whose places are told from what was looked at. */
function shortened(finding: Finding, path: string): Finding {
  return { ...finding, words: finding.words.replaceAll(`${path.replace(/\/$/, '')}/`, '') };
}

/** The fields that were asked for, one after the other. */
function printChosen(output: Output, path: string, layers: readonly LayerView[], names: string): void {
  const chosen = names.split(',').map((name) => name.trim());
  const known = layers.flatMap((layer) => layer.profiles.map(({ field }) => field.name));
  const found = layers.flatMap((layer) =>
    layer.profiles
      .filter(({ field }) => chosen.includes(field.name))
      .map((profile) => ({ layer: layer.name, profile })),
  );
  for (const name of chosen) {
    if (known.includes(name)) continue;
    throw new IsomericError('field-unknown', `There is no field “${name}” in ${path}.`, {
      advice: suggest(name, known),
      blame: 'usage',
    });
  }
  if (output.json) printJson({ path, fields: found.map(({ layer, profile }) => ({ layer, ...profile })) });
  else
    found.forEach(({ profile }, k) => {
      if (k > 0) output.line();
      printProfile(output, profile);
    });
}

export const addLook: AddCommand = (program) => {
  program
    .command('look')
    .description(
      'what is in a file, an archive, a folder or a service: layers, kind, count, CRS, extent, fields, troubles',
    )
    .argument(
      '<path>',
      'a file, a folder, an archive, a path within an archive, or the address of a file or a service (https://…)',
    )
    .option('--encoding <name>', 'the encoding of texts, when files say none or a wrong one: cp1252, cp850 …')
    .option(
      '--geometry <columns>',
      'columns of a table that hold its geometry: "lon, lat", or one with WKT or WKB; "none" leaves it a table',
    )
    .option('--marks <list>', 'what stands in place of figures: ". = suppressed, -9999 = missing"')
    .option('--rows-at <pointer>', 'JSON Pointer to the rows of a JSON document: /data/rows')
    .option('--header-rows <number>', 'how many rows the header of a table has: 0 for none, 1, 2 …')
    .option('--field <names>', 'all about these fields: values with counts, reasons, quantiles, a histogram')
    .action(async (path: string, options: LookOptions, command) => {
      const output = outputOf(command);
      if (/^https?:\/\//i.test(path)) {
        const { lookAtService } = await import('../service-look.ts');
        if (await lookAtService(path, output)) return;
      }
      const contents = await lookPath(await localPath(path), openOptions(options));
      const layers: LayerView[] = [];
      const broken: OtherFile[] = [];
      const failures: IsomericError[] = [];
      for (const opened of contents.layers) {
        try {
          layers.push(await view(opened));
        } catch (error) {
          // Damage that shows only when rows are read: alone it is the error, among others it is told.
          if (!(error instanceof IsomericError) || contents.layers.length === 1) throw error;
          failures.push(error);
          const place = opened.within || path;
          if (!broken.some((each) => each.path === place && each.damage?.words === error.sentence))
            broken.push({
              path: place,
              size: 0,
              why: 'damaged',
              damage: { code: error.code, severity: 'error', words: error.sentence },
            });
        }
      }
      if (layers.length + contents.grids.length === 0 && failures.length > 0) throw failures[0];
      const others = [...broken, ...contents.others];
      if (options.field !== undefined) {
        printChosen(output, path, layers, options.field);
        return;
      }
      const grids: GridView[] = [];
      for (const opened of contents.grids) grids.push(await gridView(opened));
      if (output.json)
        printJson({ path, layers: layers.map(({ profiles: _, ...layer }) => layer), grids, others });
      else print(output, path, layers, grids, others);
    });
};
