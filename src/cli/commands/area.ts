import { areaMap } from '../../core/area/area-map.ts';
import { areaFacts, type TouchedUnit, unitsTouched } from '../../core/area/describe.ts';
import { layerWithoutLeaps } from '../../core/area/leaps.ts';
import { brought, type Shape, united } from '../../core/area/shape.ts';
import type { Crs } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import { emptyBox, type GeometryArray } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { AreaIndex } from '../../core/geometry/overlay/area-index.ts';
import { Clipped, settleByBox } from '../../core/geometry/overlay/clipping.ts';
import { counted, crsLabel, grouped } from '../../core/index.ts';
import { areaFrom } from '../../core/layer/area.ts';
import { Batch } from '../../core/layer/batch.ts';
import { isLayer, type Layer, layerOf } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { codeOf } from '../../core/sheets/codes.ts';
import { sheetsFor } from '../../core/sheets/for-area.ts';
import type { SheetScheme } from '../../core/sheets/sheet-scheme.ts';
import { fieldIndex } from '../../core/table/schema.ts';
import { pngFromSvg, writeChunks, writeText } from '../../node/index.ts';
import { areaSpec, datasetName, layerByPath, madeOf, sheetSchemeArgument } from '../areas.ts';
import { type Drawn, dotPicture } from '../dot-picture.ts';
import { finish } from '../finish.ts';
import { crsArgument, openLayerAt } from '../opening.ts';
import { type Output, printJson, sentenceText } from '../output.ts';
import { settleOutput, withReplace } from '../outputs.ts';
import { percentText } from '../percent.ts';
import { type AddCommand, outputOf } from './command.ts';

interface AreaOptions {
  units?: string;
  by: string;
  namedBy: string;
  sheets?: string;
  level?: string;
  crs?: string;
  picture?: string;
  out?: string;
  replace?: boolean;
}

/** Units and sheets that are listed, at most. */
const mostListed = 6;

/** A finer level is chosen as long as no more sheets than these are touched. */
const mostSheets = 12;

/** An area with what is known of where its units are. */
interface Found {
  shape: Shape;
  words: string;
  notes: readonly string[];
  /** Layers of units, from the coarsest to the finest. */
  units: { name: string; layer: Layer }[];
  /** How a study says it. */
  study: string;
}

async function find(text: string, wanted: Crs | null, output: Output): Promise<Found> {
  const spec = await areaSpec(text);
  if (spec.kind === 'study') return ofStudy(spec.folder, wanted, output);
  if (spec.kind === 'layer') {
    const layer = await openLayerAt(spec.path);
    const area = await areaFrom(layer);
    if (area.crs === null)
      throw new IsomericError(
        'crs-missing',
        `${layer.name} has no CRS, so where the area lies is not known.`,
        {
          advice: 'Give it one first: isomeric save IN --from CRS --out OUT.',
          blame: 'usage',
        },
      );
    const shape = { geometry: united([area.geometry]), crs: area.crs };
    return {
      shape: wanted === null ? shape : await brought(shape, wanted, layer.name),
      words: `all of ${layer.name}`,
      notes: [],
      units: [{ name: layer.name, layer }],
      study: `area:\n  layer: ${datasetName(spec.path)}\n\ngather:\n  ${datasetName(spec.path)}: { file: ${yamlText(spec.path)} }`,
    };
  }
  const { layersOfArea } = await import('../../study/area/schema.ts');
  const made = await madeOf(spec.area, wanted);
  const names = layersOfArea(spec.area);
  const units: Found['units'] = [];
  for (const name of spec.area.units?.of ?? [])
    units.push({ name: datasetName(name), layer: await layerByPath(name) });
  return {
    shape: made.shape,
    words: made.words,
    notes: made.notes,
    units,
    study: await studyLines(spec.text, names),
  };
}

const yamlText = (text: string) => (/^[\p{L}\p{N}_./-]+$/u.test(text) ? text : JSON.stringify(text));

/** The same words as a study has them: files are datasets there, with names. */
async function studyLines(text: string, paths: readonly string[]): Promise<string> {
  const { Document, parse, visit } = await import('yaml');
  const said = parse(text.startsWith('{') || text.includes('\n') ? text : `{ ${text} }`) as unknown;
  const names = new Map(paths.map((path) => [path, datasetName(path)]));
  const named = (value: unknown, key = ''): unknown => {
    if (Array.isArray(value)) return value.map((each) => named(each, key));
    if (value !== null && typeof value === 'object')
      return Object.fromEntries(Object.entries(value).map(([own, each]) => [own, named(each, own)]));
    return typeof value === 'string' && (key === 'of' || key === 'layer')
      ? (names.get(value) ?? value)
      : value;
  };
  const gather = Object.fromEntries([...names].map(([path, name]) => [name, { file: path }]));
  const whole = new Document({ area: named(said), ...(paths.length === 0 ? {} : { gather }) });
  // What hangs below a key of the area stands on one line, as people write it.
  visit(whole, {
    Collection: (_, node, path) => {
      if (path.length > 4) node.flow = true;
    },
  });
  return whole.toString({ lineWidth: 0 }).trimEnd();
}

async function ofStudy(folder: string, wanted: Crs | null, output: Output): Promise<Found> {
  const [{ areaOfStudy }, { nodeMachine }, { openDataset }] = await Promise.all([
    import('../../study/area-of-study.ts'),
    import('../../node/machine.ts'),
    import('../../study/preparing/open-datasets.ts'),
  ]);
  const machine = nodeMachine(folder);
  const { study, area, files } = await areaOfStudy(machine, (words) => output.aside(words));
  const units: Found['units'] = [];
  for (const name of study.area.units?.of ?? []) {
    const layer = await openDataset(name, study, files, machine);
    if (isLayer(layer)) units.push({ name, layer });
  }
  const shape = { geometry: area.area.geometry, crs: area.crs };
  return {
    shape: wanted === null ? shape : await brought(shape, wanted, 'the area'),
    words: area.name,
    notes: area.notes,
    units,
    study: '',
  };
}

interface TouchedLevel {
  level: string;
  units: TouchedUnit[];
}

async function touchedUnits(found: Found, index: AreaIndex, options: AreaOptions): Promise<TouchedLevel[]> {
  const levels = [...found.units];
  if (options.units !== undefined) {
    const layer = await layerByPath(options.units);
    levels.splice(0, levels.length, { name: layer.name, layer });
  }
  const told: TouchedLevel[] = [];
  for (const { name, layer } of levels) {
    const code = fieldIndex(layer.schema, options.by) < 0 && options.by === 'code' ? undefined : options.by;
    told.push({
      level: name,
      units: await unitsTouched(layer, found.shape, index, { code, name: options.namedBy }),
    });
  }
  return told;
}

interface TouchedSheets {
  scheme: SheetScheme;
  level: string;
  sheets: { code: string; covered: number; held: number }[];
  geometry: GeometryArray;
}

async function touchedSheets(found: Found, { sheets, level }: AreaOptions): Promise<TouchedSheets | null> {
  if (sheets === undefined) return null;
  const scheme = await sheetSchemeArgument(sheets);
  const there = await brought(found.shape, scheme.rules.crs, 'the area');
  const index = new AreaIndex(united([there.geometry]));
  let used = level === undefined ? 0 : scheme.levelNumber(level);
  let touched = sheetsFor(scheme, used, index);
  for (let k = 1; level === undefined && k < scheme.levels.length; k++) {
    const finer = sheetsFor(scheme, k, index);
    if (finer.length > mostSheets) break;
    [touched, used] = [finer, k];
  }
  const maker = new GeometryMaker();
  for (const { sheet } of touched) maker.copy(scheme.footprint(sheet), 0);
  return {
    scheme,
    level: scheme.levels[used].name,
    sheets: touched.map(({ sheet, covered, held }) => ({ code: codeOf(scheme, sheet), covered, held })),
    geometry: maker.finish(),
  };
}

/** Outlines of the units that meet the area, in its CRS. */
async function outlines(layer: Layer, { crs }: Shape, index: AreaIndex): Promise<GeometryArray | null> {
  const maker = new GeometryMaker();
  const box = emptyBox();
  for await (const batch of reprojectLayer(layerWithoutLeaps(layer), crs).batches())
    for (let i = 0; i < batch.length; i++) {
      batch.geometry!.boxOf(i, box);
      if (batch.geometry!.kind[i] >= 3 && settleByBox(index, box) !== Clipped.Outside)
        maker.copy(batch.geometry!, i);
    }
  return maker.features === 0 ? null : maker.finish();
}

const km2 = (square: number) =>
  square >= 1e5
    ? `${grouped(Number((square / 1e6).toPrecision(6)))} km²`
    : `${grouped(Number(square.toPrecision(6)))} m²`;
const km = (metres: number) =>
  metres >= 1000
    ? `${grouped(Number((metres / 1000).toPrecision(6)))} km`
    : `${Number(metres.toPrecision(6))} m`;

function boxText(box: readonly number[], digits: number): string {
  const [x0, y0, x1, y1] = box.map((value) => Number(value.toFixed(digits)));
  return `${x0}, ${y0} to ${x1}, ${y1}`;
}

function listedShares(items: readonly { label: string; covered: number; held: number }[]): string {
  const shown = items
    .slice(0, mostListed)
    .map(({ label, covered, held }) =>
      covered > 1 - 1e-9
        ? `${label} (whole, ${percentText(held)} of the area)`
        : `${label} (${percentText(covered)} of it, ${percentText(held)} of the area)`,
    );
  const more = items.length > mostListed ? `, and ${grouped(items.length - mostListed)} more` : '';
  return `${shown.join(', ')}${more}`;
}

function print(
  output: Output,
  found: Found,
  facts: ReturnType<typeof areaFacts>,
  levels: readonly TouchedLevel[],
  sheets: TouchedSheets | null,
): void {
  const { shape } = found;
  const { colours } = output;
  output.line(sentenceText(output, `Area: ${found.words}.`));
  for (const note of found.notes) output.line(colours.dim(`  ${note}`));
  const holes = facts.holes === 0 ? '' : `, ${counted(facts.holes, 'hole', 'holes')}`;
  output.line(
    `  size    ${km2(facts.squareMetres)} on the ellipsoid, border ${km(facts.borderMetres)}, ${counted(facts.parts, 'part', 'parts')}${holes}, ${counted(facts.vertices, 'vertex', 'vertices')}`,
  );
  const own = shape.crs.kind === 'projected' || facts.degrees === null;
  if (own)
    output.line(
      `  extent  ${boxText(facts.box, shape.crs.kind === 'projected' ? 1 : 6)}  ${crsLabel(shape.crs)}`,
    );
  if (facts.degrees !== null)
    output.line(`  ${own ? '      ' : 'extent'}  ${boxText(facts.degrees, 6)}  degrees on WGS 84`);
  for (const { level, units } of levels)
    output.line(
      `  units   ${grouped(units.length)} ${level}: ${listedShares(units.map(({ code, name, ...shares }) => ({ label: name === '' || name === code ? code : `${code} ${name}`, ...shares })))}`,
    );
  if (sheets !== null)
    output.line(
      `  sheets  ${counted(sheets.sheets.length, 'sheet', 'sheets')} of ${sheets.scheme.rules.title}, ${sheets.level}: ${listedShares(sheets.sheets.map(({ code, ...shares }) => ({ label: code, ...shares })))}`,
    );
}

function picture(output: Output, found: Found, index: AreaIndex, units: GeometryArray | null): void {
  const { crs } = found.shape;
  const { box } = index;
  const margin = 0.06 * Math.max(box[2] - box[0], box[3] - box[1]);
  const stretch =
    crs.kind === 'geographic' ? Math.max(0.05, Math.cos(((box[1] + box[3]) / 2) * crs.unit)) : 1;
  const drawn: Drawn[] = [];
  if (units !== null) drawn.push({ geometry: units, paint: output.colours.dim });
  drawn.push({ geometry: index.geometry, paint: (text) => output.colours.bold(output.colours.cyan(text)) });
  output.line();
  for (const line of dotPicture(
    drawn,
    [box[0] - margin, box[1] - margin, box[2] + margin, box[3] + margin],
    { columns: 64, rows: 18 },
    stretch,
  ))
    output.line(`  ${line}`);
}

async function savePicture(
  path: string,
  found: Found,
  facts: ReturnType<typeof areaFacts>,
  units: { title: string; geometry: GeometryArray } | undefined,
  sheets: TouchedSheets | null,
): Promise<void> {
  const svg = areaMap({
    title: 'Study area',
    words: `${found.words}: ${km2(facts.squareMetres)}`,
    shape: found.shape,
    sources: found.units.map(({ name }) => name),
    ...(units === undefined ? {} : { units }),
    ...(sheets === null
      ? {}
      : {
          sheets: {
            title: `${sheets.scheme.rules.title}, ${sheets.level}`,
            codes: sheets.sheets.map(({ code }) => code),
            geometry: (
              await brought(
                { geometry: sheets.geometry, crs: sheets.scheme.rules.crs },
                found.shape.crs,
                'the sheets',
              )
            ).geometry,
          },
        }),
  });
  if (path.toLowerCase().endsWith('.svg')) await writeText(path, svg);
  else if (path.toLowerCase().endsWith('.png')) await writeChunks(path, [await pngFromSvg(svg, 1280)]);
  else
    throw new IsomericError('picture-format', `${path} is no picture that is drawn here.`, {
      advice: 'Call it .png or .svg.',
      blame: 'usage',
    });
}

function areaLayer({ shape, words }: Found): Layer {
  const batch = new Batch({ length: shape.geometry.length, first: 0, geometry: shape.geometry, columns: [] });
  return { ...layerOf({ name: 'area', schema: [], crs: shape.crs, batches: [batch] }), title: words };
}

async function run(text: string, options: AreaOptions, output: Output): Promise<void> {
  const settled = options.out === undefined ? null : await settleOutput(options.out, [], options);
  const wanted = options.crs === undefined ? null : await crsArgument(options.crs);
  const found = await find(text, wanted, output);
  const index = new AreaIndex(found.shape.geometry);
  const facts = areaFacts(found.shape, index);
  const levels = await touchedUnits(found, index, options);
  const sheets = await touchedSheets(found, options);
  const finest =
    options.units === undefined
      ? found.units[found.units.length - 1]?.layer
      : await layerByPath(options.units);
  const around = finest === undefined ? null : await outlines(finest, found.shape, index);
  if (options.picture !== undefined)
    await savePicture(
      options.picture,
      found,
      facts,
      around === null ? undefined : { title: finest!.name, geometry: around },
      sheets,
    );
  if (settled !== null) await finish(output, [areaLayer(found)], options.out!, settled);
  if (output.json) {
    if (settled === null)
      printJson({
        words: found.words,
        notes: found.notes,
        crs: found.shape.crs.code ?? found.shape.crs.name,
        ...facts,
        units: levels,
        sheets:
          sheets === null
            ? null
            : { scheme: sheets.scheme.rules.title, level: sheets.level, sheets: sheets.sheets },
        study: found.study,
      });
    return;
  }
  print(output, found, facts, levels, sheets);
  picture(output, found, index, around);
  if (found.study !== '') {
    output.line();
    output.line(output.colours.dim('In a study:'));
    for (const line of found.study.split('\n')) output.line(`  ${line}`);
  }
  if (options.picture !== undefined) output.line(`\nPicture: ${options.picture}.`);
}

export const addArea: AddCommand = (program) => {
  const command = program
    .command('area')
    .description('what an area is: its size, extent, units and sheets, a picture, and how a study says it')
    .argument(
      '<area>',
      'a layer, a folder with a study, WKT or GeoJSON, or words as in a study: "point: [-29.9, 45.5], radius: 2 km"',
    )
    .option('--units <layer>', 'a layer of units that it may lie on; those that it is made of when left out')
    .option('--by <field>', 'field with the codes of units', 'code')
    .option('--named-by <field>', 'field with the names of units', 'name')
    .option(
      '--sheets <scheme>',
      'the map sheets that it lies on: a scheme that comes with Isomeric, or a file with one',
    )
    .option('--level <name>', 'with --sheets: the level; the finest with few sheets when left out')
    .option('--crs <crs>', 'the CRS it is wanted in; that of its layers when left out')
    .option('--picture <file>', 'save a map of it: .png or .svg')
    .option('--out <path>', 'save it as a layer')
    .action(async (text: string, options: AreaOptions, own) => {
      await run(text, options, outputOf(own));
    });
  withReplace(command);
};
