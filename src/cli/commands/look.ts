import {
  type Crs,
  counted,
  crsLabel,
  emptyBox,
  type Finding,
  grouped,
  growBox,
  IsomericError,
  isEmptyBox,
  isLayer,
  type KindName,
  kindNames,
} from '../../core/index.ts';
import type { Opened, OtherFile } from '../../formats/index.ts';
import { lookPath, type OpenOptions } from '../../node/index.ts';
import { findingText, type Output, printJson, textTable } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';

interface FieldView {
  name: string;
  type: string;
  title?: string;
  blank: number;
  distinct: number | null;
  examples: string[];
}

interface LayerView {
  name: string;
  within: string;
  format: string;
  parts: readonly string[];
  geometry: KindName[] | null;
  count: number;
  crs: { code: string | null; name: string } | null;
  extent: [number, number, number, number] | null;
  fields: FieldView[];
  troubles: Finding[];
}

/** Different values counted up to this many. */
const mostDistinct = 10_000;

/** Reads a layer once, to the end, and tells what is in it. */
async function view({ table, format, within, parts }: Opened): Promise<LayerView> {
  const fields = table.schema.map((field): FieldView & { seen: Set<string> } => ({
    name: field.name,
    type: field.type,
    title: field.title,
    blank: 0,
    distinct: 0,
    examples: [],
    seen: new Set(),
  }));
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
      const field = fields[c];
      for (let i = 0; i < batch.length; i++) {
        if (column.isNull(i)) {
          field.blank++;
          continue;
        }
        if (field.seen.size >= mostDistinct && field.examples.length >= 3) continue;
        const text = column.text(i)!;
        if (field.examples.length < 3 && !field.seen.has(text)) field.examples.push(text);
        if (field.seen.size < mostDistinct) field.seen.add(text);
      }
    });
  }
  const crs = isLayer(table) ? table.crs : null;
  const troubles = [...table.findings];
  if (isLayer(table) && crs !== null) {
    const area = extentTrouble(crs, box);
    if (area !== undefined) troubles.push(area);
  }
  return {
    name: table.name,
    within,
    format,
    parts,
    geometry: isLayer(table) ? kindNames.filter((_, k) => k > 0 && (kinds & (1 << k)) !== 0) : null,
    count,
    crs: crs === null ? null : { code: crs.code ?? null, name: crs.name },
    extent: isEmptyBox(box) ? null : box,
    fields: fields.map(({ seen, ...field }) => ({
      ...field,
      distinct: seen.size >= mostDistinct ? null : seen.size,
    })),
    troubles,
  };
}

/** Coordinates that cannot be degrees, though the CRS says they are. */
function extentTrouble(crs: Crs, box: readonly number[]): Finding | undefined {
  if (
    crs.kind !== 'geographic' ||
    (box[0] >= -361 && box[2] <= 361 && box[1] >= -91 && box[3] <= 91) ||
    !Number.isFinite(box[0])
  )
    return undefined;
  return {
    code: 'extent-no-degrees',
    severity: 'error',
    words: `The CRS is ${crsLabel(crs)}, in degrees, but the coordinates reach ${box.map((v) => v.toPrecision(7)).join(', ')}.`,
    repair: 'say which CRS the data really have',
  };
}

function kindText(layer: LayerView): string {
  if (layer.geometry === null) return 'rows, no geometry';
  const names: Record<string, string> = {
    Point: 'points',
    LineString: 'lines',
    Polygon: 'areas',
    MultiPoint: 'multi-points',
    MultiLineString: 'multi-lines',
    MultiPolygon: 'multi-areas',
    GeometryCollection: 'collections',
  };
  return layer.geometry.length === 0
    ? 'features without geometry'
    : layer.geometry.map((kind) => names[kind]).join(' and ');
}

/** `4,302 bytes`, `1.4 MB` */
function sizeText(bytes: number): string {
  return bytes < 100_000 ? `${grouped(bytes)} bytes` : `${grouped(Number((bytes / 1e6).toFixed(1)))} MB`;
}

function print(
  output: Output,
  path: string,
  layers: readonly LayerView[],
  others: readonly OtherFile[],
): void {
  const { colours } = output;
  const tables = layers.filter((layer) => layer.geometry === null).length;
  const counts = [
    layers.length > tables || tables === 0 ? counted(layers.length - tables, 'layer', 'layers') : '',
    tables > 0 ? counted(tables, 'table', 'tables') : '',
    others.length > 0 ? counted(others.length, 'other file', 'other files') : '',
  ];
  output.line(`${colours.bold(path)}  ${counts.filter((count) => count !== '').join(', ')}`);
  for (const layer of layers) {
    output.line();
    output.line(
      `${colours.bold(colours.cyan(layer.name))}  ${layer.format}${layer.within === '' ? '' : `, ${layer.within}`}`,
    );
    if (layer.parts.length > 0) output.line(colours.dim(`  made of ${layer.parts.join(', ')}`));
    output.line(`  ${grouped(layer.count)} ${kindText(layer)}`);
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
    if (layer.fields.length > 0) {
      const rows = layer.fields.map((field) => [
        field.name,
        field.type,
        field.distinct === null ? 'many' : grouped(field.distinct),
        grouped(field.blank),
        field.examples.join(', '),
      ]);
      const [head, ...lines] = textTable(
        ['field', 'type', 'different', 'blank', 'for example'],
        rows,
        [false, false, true, true, false],
        44,
      );
      output.line(colours.dim(`  ${head}`));
      for (const line of lines) output.line(`  ${line}`);
    }
    for (const trouble of layer.troubles) output.line(`  ${findingText(output, shortened(trouble, path))}`);
  }
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

export const addLook: AddCommand = (program) => {
  program
    .command('look')
    .description(
      'what is in a file, an archive or a folder: layers, kind, count, CRS, extent, fields, troubles',
    )
    .argument('<path>', 'a file, a folder, an archive, a path within an archive, or an address (https://…)')
    .option('--encoding <name>', 'the encoding of texts, when files say none or a wrong one: cp1252, cp850 …')
    .option(
      '--geometry <columns>',
      'columns of a table that hold its geometry: "lon, lat", or one with WKT or WKB; "none" leaves it a table',
    )
    .action(async (path: string, options: OpenOptions, command) => {
      const output = outputOf(command);
      const contents = await lookPath(path, options);
      const layers: LayerView[] = [];
      const broken: OtherFile[] = [];
      for (const opened of contents.layers) {
        try {
          layers.push(await view(opened));
        } catch (error) {
          // Damage that shows only when rows are read: alone it is the error, among others it is told.
          if (!(error instanceof IsomericError) || contents.layers.length === 1) throw error;
          broken.push({
            path: opened.within || opened.table.name,
            size: 0,
            why: 'damaged',
            damage: { code: error.code, severity: 'error', words: error.sentence },
          });
        }
      }
      const others = [...broken, ...contents.others];
      if (output.json) printJson({ path, layers, others });
      else print(output, path, layers, others);
    });
};
