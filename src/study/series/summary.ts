import { IsomericError } from '../../core/errors.ts';
import { Batch } from '../../core/layer/batch.ts';
import { type Layer, withoutGeometry } from '../../core/layer/layer.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type Field, fieldIndex } from '../../core/table/schema.ts';
import { dateInFiles } from '../again/dates.ts';
import type { Study } from '../file/schema.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import { drawMap } from '../handing-on/draw.ts';
import type { Ledger } from '../ledger/ledger.ts';
import { type Machine, writeText } from '../machine.ts';
import type { StudyArea } from '../preparing/area.ts';
import type { SeriesFigure } from './figures.ts';
import type { UnitOutcome } from './unit-run.ts';
import type { SeriesUnits } from './units.ts';

/** What the summary is made of. */
export interface SummaryParts {
  study: Study;
  area: StudyArea;
  found: SeriesUnits;
  outcomes: readonly UnitOutcome[];
  figures: readonly SeriesFigure[];
  files: GatheredFiles;
  ledger: Ledger;
  machine: Machine;
  folder: string;
}

/** A table with a row for each unit, the same as a layer, and a map of its first figure. Returns their paths. */
export async function writeSummary(parts: SummaryParts): Promise<string[]> {
  const { machine, folder } = parts;
  const layer = summaryLayer(parts);
  const paths: string[] = [];
  const save = async (table: Parameters<Machine['save']>[0][number], path: string) => {
    paths.push(...(await machine.save([table], path, dateInFiles)).files);
  };
  await save(withoutGeometry(layer), `${folder}/summary.csv`);
  await save(layer, `${folder}/summary.gpkg`);
  const svg = await summaryMap(layer, parts);
  if (svg === null) return paths;
  await writeText(machine, `${folder}/summary.svg`, svg);
  const { sheetWidth } = await import('../../core/mapping/sheet.ts');
  await machine.writeBytes(`${folder}/summary.png`, await machine.png(svg, sheetWidth * 2));
  return [...paths, `${folder}/summary.svg`, `${folder}/summary.png`];
}

/** The units with what became of each. */
function summaryLayer({ found, outcomes, figures, study }: SummaryParts): Layer {
  const { layer, by } = found;
  const names = [by, 'name'].filter(
    (name, k, all) => fieldIndex(layer.schema, name) >= 0 && all.indexOf(name) === k,
  );
  const carried = names.map((name) => fieldIndex(layer.schema, name));
  const layers = [...new Set(outcomes.flatMap(({ counts }) => Object.keys(counts)))];
  const added: Field[] = [
    { name: 'state', type: 'text', title: 'What became of it' },
    { name: 'trouble', type: 'text', title: 'Why it failed' },
    ...figures.map(({ name }): Field => ({ name, type: 'real', ...study.titles[name] })),
    { name: 'layers', type: 'integer', title: 'Layers' },
    { name: 'features', type: 'integer', title: 'Features in all layers' },
    ...layers.map(
      (name): Field => ({
        name: `n_${name}`,
        type: 'integer',
        title: `Features of ${study.titles[name]?.title ?? name}`,
      }),
    ),
    { name: 'errors', type: 'integer', title: 'Errors found' },
    { name: 'warnings', type: 'integer', title: 'Warnings' },
  ];
  const byCode = new Map(outcomes.map((outcome) => [outcome.code, outcome]));
  const key = fieldIndex(layer.schema, by);
  return {
    ...layer,
    name: 'summary',
    title: undefined,
    schema: [...carried.map((c) => ({ ...layer.schema[c], featureId: undefined })), ...added],
    count: undefined,
    accounts: [],
    findings: [],
    async *batches(options) {
      for await (const batch of layer.batches(options)) {
        const rows: number[] = [];
        for (let i = 0; i < batch.length; i++) if (byCode.has(batch.columns[key].text(i) ?? '')) rows.push(i);
        if (rows.length === 0) continue;
        const taken = batch.take(rows);
        const builders = added.map(({ type }) => new ColumnBuilder(type));
        for (let i = 0; i < taken.length; i++) {
          const outcome = byCode.get(taken.columns[key].text(i)!)!;
          const failed = outcome.state === 'failed';
          const values: (string | number | null)[] = [
            outcome.state,
            outcome.trouble?.words ?? null,
            ...figures.map(({ name }) => outcome.figures[name] ?? null),
            failed ? null : outcome.layers,
            failed ? null : outcome.features,
            ...layers.map((name) => outcome.counts[name] ?? null),
            failed ? null : outcome.findings.error,
            failed ? null : outcome.findings.warning,
          ];
          values.forEach((value, k) => {
            if (value === null) builders[k].null();
            else if (typeof value === 'string') builders[k].text(value);
            else builders[k].number(value);
          });
        }
        yield new Batch({
          length: taken.length,
          first: taken.first,
          geometry: taken.geometry,
          columns: [...carried.map((c) => taken.columns[c]), ...builders.map((builder) => builder.finish())],
        });
      }
    },
  };
}

async function summaryMap(
  layer: Layer,
  { study, area, found, figures, files, ledger, machine }: SummaryParts,
): Promise<string | null> {
  const [first] = figures;
  const field = first?.name ?? 'features';
  const title = study.titles[field]?.title ?? first?.name ?? 'Features in all layers';
  try {
    const { svg } = await drawMap(
      'summary',
      {
        title: `${study.study}: ${title}`,
        subtitle: 'Each unit by itself',
        // By its name the sources of the units stand on the map.
        layer: found.layer.name,
        'colour by': field,
        classes: '5 quantile',
        colours: 'lagoon',
        over: [],
        under: [],
      },
      {
        study,
        layers: new Map([[found.layer.name, { ...layer, name: found.layer.name }]]),
        area,
        files,
        ledger,
        machine,
        findings: [],
      },
    );
    return svg;
  } catch (error) {
    // Figures that are all alike, or none at all, make no map; the table says so.
    if (!(error instanceof IsomericError)) throw error;
    machine.reporter.note(`There is no map of the units: ${error.message}`);
    return null;
  }
}
