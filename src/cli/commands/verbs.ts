import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import {
  AreaIndex,
  assignCrs,
  bestCrs,
  choiceWords,
  clipLayer,
  crsFromText,
  crsLabel,
  type Densify,
  edgePaths,
  filterRows,
  type GridShift,
  geometriesFrom,
  IsomericError,
  isLayer,
  joinTable,
  keyRepairNamed,
  type Layer,
  parseOn,
  placed,
  purposeFromText,
  readNtv2,
  reprojectLayer,
  sameCrs,
  suggest,
  takeGeometries,
  tallyFeatures,
} from '../../core/index.ts';
import { ending } from '../../formats/opening/names.ts';
import { fileSource, openOne, saverFor } from '../../node/index.ts';
import { finish } from '../finish.ts';
import {
  type AddCommand,
  numberOption,
  openOptions,
  outputOf,
  type TableReading,
  withTableOptions,
} from './command.ts';
import { degreesOfLayer } from './crs-area.ts';

/** A CRS by code, name, WKT, or a .prj or .wkt file. */
export async function crsArgument(text: string) {
  if (!['prj', 'wkt'].includes(ending(text))) return crsFromText(text);
  const source = await fileSource(text);
  return placed({ file: text }, async () =>
    crsFromText(new TextDecoder().decode(await source.bytes(0, Math.min(source.size, 100_000)))),
  );
}

export async function openLayer(
  path: string,
  name: string | undefined,
  crs: string | undefined,
): Promise<Layer> {
  const { table } = await openOne(path, name);
  if (!isLayer(table))
    throw new IsomericError('geometry-missing', `${table.name} is a table without geometry.`, {
      place: { file: path },
      blame: 'usage',
    });
  return crs === undefined ? table : assignCrs(table, await crsArgument(crs));
}

/** The area of a clip, as one prepared area in the layer's CRS. */
export async function areaFor(
  layer: Pick<Layer, 'name' | 'crs'>,
  path: string,
  name: string | undefined,
  where: string | undefined,
): Promise<{ area: AreaIndex; note?: string }> {
  let source = await openLayer(path, name, undefined);
  if (where !== undefined) source = filterRows(source, where);
  let note: string | undefined;
  if (source.crs === null || layer.crs === null) {
    if (source.crs !== layer.crs) {
      throw new IsomericError(
        'crs-missing',
        `${source.crs === null ? source.name : layer.name} has no CRS, so it cannot be told whether the area and the layer fit together.`,
        { place: { file: path }, advice: 'Say the CRS of the layer with --from.', blame: 'usage' },
      );
    }
    note = 'Neither the layer nor the area says its CRS; they were taken to be in the same one.';
  } else if (!sameCrs(source.crs, layer.crs)) {
    note = `The area was brought from ${crsLabel(source.crs)} to ${crsLabel(layer.crs)}, vertex by vertex.`;
    source = reprojectLayer(source, layer.crs);
  }
  const builder = new GeometryMaker();
  for await (const batch of source.batches())
    for (let i = 0; i < batch.length; i++) builder.copy(batch.geometry!, i);
  const all = builder.finish();
  return {
    area: new AreaIndex(
      all.length === 0
        ? geometriesFrom([])
        : takeGeometries(
            all,
            Array.from({ length: all.length }, (_, i) => i),
          ),
    ),
    note,
  };
}

export const addClip: AddCommand = (program) => {
  program
    .command('clip')
    .description('cut a layer to an area')
    .argument('<in>', 'the layer')
    .requiredOption('--area <path>', 'a layer with the area')
    .requiredOption('--out <path>', 'where to save; the ending says the format')
    .option('--layer <name>', 'which layer, when there are several')
    .option('--area-layer <name>', 'which layer of the area file')
    .option('--area-where <cql2>', 'only these features of the area file')
    .option('--from <crs>', 'the CRS that the layer has, when it does not say so')
    .option('--whole', 'keep whole what reaches across the border, instead of cutting it')
    .action(
      async (
        path: string,
        options: {
          area: string;
          out: string;
          layer?: string;
          areaLayer?: string;
          areaWhere?: string;
          from?: string;
          whole?: boolean;
        },
        command,
      ) => {
        const output = outputOf(command);
        saverFor(options.out);
        const layer = await openLayer(path, options.layer, options.from);
        const { area, note } = await areaFor(layer, options.area, options.areaLayer, options.areaWhere);
        await finish(
          output,
          clipLayer(layer, area, { mode: options.whole ? 'whole' : 'cut', note }),
          options.out,
        );
      },
    );
};

export const addJoin: AddCommand = (program) => {
  const command = program
    .command('join')
    .description('bring columns of a table to the features with the same key')
    .argument('<layer>', 'the layer')
    .argument('<table>', 'the table')
    .requiredOption('--on <keys>', 'LAYER_FIELD = TABLE_FIELD')
    .requiredOption('--out <path>', 'where to save; the ending says the format')
    .option('--layer <name>', 'which layer, when there are several')
    .option('--table <name>', 'which table, when there are several')
    .option('--columns <names>', 'columns to bring over, separated by commas; all when left out')
    .option('--repair <what>', 'repair the keys first: "leading zeros", "long identifiers"')
    .action(
      async (
        path: string,
        tablePath: string,
        options: {
          on: string;
          out: string;
          layer?: string;
          table?: string;
          columns?: string;
          repair?: string;
        } & TableReading,
        command,
      ) => {
        const output = outputOf(command);
        saverFor(options.out);
        const { table: layer } = await openOne(path, options.layer);
        const { table } = await openOne(tablePath, options.table, openOptions(options));
        const result = joinTable(layer, table, {
          on: parseOn(options.on),
          columns: options.columns?.split(',').map((name) => name.trim()),
          repair: options.repair === undefined ? undefined : keyRepairNamed(options.repair),
        });
        await finish(output, result, options.out);
      },
    );
  withTableOptions(command);
};

export const addTally: AddCommand = (program) => {
  program
    .command('tally')
    .description('count and measure the features of a layer within each area of another')
    .argument('<units>', 'the layer with the areas')
    .argument('<things>', 'the layer that is counted')
    .requiredOption('--out <path>', 'where to save; the ending says the format')
    .option('--layer <name>', 'which layer with areas, when there are several')
    .option('--things <name>', 'which layer is counted, when there are several')
    .option('--as <name>', 'what the new fields are to begin with')
    .action(
      async (
        path: string,
        thingsPath: string,
        options: { out: string; layer?: string; things?: string; as?: string },
        command,
      ) => {
        const output = outputOf(command);
        saverFor(options.out);
        const units = await openLayer(path, options.layer, undefined);
        const things = await openLayer(thingsPath, options.things, undefined);
        await finish(output, tallyFeatures(units, things, { as: options.as }), options.out);
      },
    );
};

interface ReprojectArguments {
  crs: string;
  out: string;
  layer?: string;
  from?: string;
  grid?: string[];
  steps?: boolean;
  edges?: string;
  within: string;
}

/** What is to be done about long edges; undefined when nothing is. */
function densifyOption({ edges, within }: ReprojectArguments): Densify | undefined {
  if (edges === undefined) return undefined;
  const path = edgePaths.find((each) => each === edges);
  if (path === undefined)
    throw new IsomericError('edges-unknown', `“${edges}” is no course of an edge.`, {
      advice: suggest(edges, edgePaths),
      blame: 'usage',
    });
  return { path, within: numberOption('within', within, (value) => value > 0) };
}

export const addReproject: AddCommand = (program) => {
  program
    .command('reproject')
    .description('bring a layer into another CRS')
    .argument('<in>', 'the layer')
    .requiredOption(
      '--crs <crs>',
      'the CRS wanted: EPSG:32626, a name, WKT, a .prj file; or best, best for densities, best for distances',
    )
    .requiredOption(
      '--out <path>',
      'where to save; the ending says the format (GeoJSON, KML and GPX are always WGS 84)',
    )
    .option('--layer <name>', 'which layer, when there are several')
    .option('--from <crs>', 'the CRS that the layer has, when it does not say so or says a wrong one')
    .option(
      '--grid <file...>',
      'a grid of datum shifts (NTv2, .gsb); used where it leads between the two datums',
    )
    .option('--steps', 'tell each step of the way, and what else there would be')
    .option(
      '--edges <course>',
      'add vertices to long edges, which are: straight (in the CRS of the layer), great circle, rhumb',
    )
    .option('--within <metres>', 'with --edges: how far the edges may lie off their course', '1')
    .action(async (path: string, options: ReprojectArguments, command) => {
      const output = outputOf(command);
      saverFor(options.out);
      const purpose = purposeFromText(options.crs);
      const densify = densifyOption(options);
      const wanted = purpose === null ? await crsArgument(options.crs) : null;
      const layer = await openLayer(path, options.layer, options.from);
      let target = wanted;
      if (target === null) {
        const [choice] = bestCrs(await degreesOfLayer(layer), purpose!, 1);
        target = choice.crs;
        output.line(choiceWords(choice, purpose!));
      }
      const grids: GridShift[] = [];
      for (const file of options.grid ?? []) {
        const source = await fileSource(file);
        grids.push(readNtv2(await source.bytes(0, source.size), file));
      }
      await finish(
        output,
        reprojectLayer(layer, target, { grids, densify, steps: options.steps }),
        options.out,
      );
    });
};
