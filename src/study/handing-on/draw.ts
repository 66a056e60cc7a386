import { crsLabel } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import { dimensionOf, type GeometryArray } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { looksLikeCount, shade, shadingWords } from '../../core/mapping/choropleth.ts';
import { drawSheet, type SheetLayer } from '../../core/mapping/sheet.ts';
import { fieldTitle, requireField } from '../../core/table/schema.ts';
import type { Study, StudyMap } from '../file/schema.ts';
import { datasetsOf } from '../file/steps.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';
import type { StudyArea } from '../preparing/area.ts';
import { classOfDataset } from '../preparing/map-features.ts';
import { openDataset, titled } from '../preparing/open-datasets.ts';
import { classLayers } from './class-style.ts';

/** Strokes for layers on top, used in turn. */
const lineStyles = [
  { stroke: '#4a4a48', width: 0.9 },
  { stroke: '#2f74a8', width: 2.2 },
  { stroke: '#8a5a2b', width: 1.2 },
];
const pointStyles = [
  { fill: '#f6f3ea', stroke: '#b3261e', width: 5 },
  { fill: '#1d2a33', stroke: '#ffffff', width: 4 },
  { fill: '#f2c14e', stroke: '#1d2a33', width: 4 },
];

async function held(layer: Layer): Promise<Batch[]> {
  const batches: Batch[] = [];
  for await (const batch of layer.batches()) batches.push(batch);
  return batches;
}

function kindOf(arrays: readonly GeometryArray[]): SheetLayer['kind'] {
  for (const array of arrays) {
    for (let i = 0; i < array.length; i++) {
      const dimension = dimensionOf(array.kind[i]);
      if (dimension >= 0) return dimension === 0 ? 'point' : dimension === 1 ? 'line' : 'area';
    }
  }
  return 'area';
}

function layerNamed(layers: ReadonlyMap<string, Layer | Table>, name: string): Layer {
  const layer = layers.get(name);
  if (layer === undefined || !isLayer(layer))
    throw new IsomericError('layer-unknown', `There is no prepared layer “${name}” to draw.`, {
      blame: 'usage',
      wrong: name,
    });
  return layer;
}

/** The name of a thing in words: its title, else its name with blanks. */
function titleOf(study: Study, name: string): string {
  return study.titles[name]?.title ?? name.replace(/[_-]/g, ' ').replace(/^\p{Ll}/u, (c) => c.toUpperCase());
}

/** Water is drawn blue, whatever its place in the list. */
function lineStyle(name: string, turn: number) {
  return /water|river|canal|stream/i.test(name) ? lineStyles[1] : turn === 0 ? lineStyles[0] : lineStyles[2];
}

/** Draws a map of a study; returns its SVG. */
export async function drawMap(
  name: string,
  map: StudyMap,
  study: Study,
  layers: ReadonlyMap<string, Layer | Table>,
  area: StudyArea,
  files: GatheredFiles,
  ledger: Ledger,
  machine: Machine,
): Promise<string> {
  const layer = titled(layerNamed(layers, map.layer), study);
  const column = requireField(layer.schema, map['colour by'], map.layer);
  const field = layer.schema[column];
  if (field.type !== 'integer' && field.type !== 'real') {
    throw new IsomericError(
      'field-not-number',
      `“${field.name}” of ${map.layer} is ${field.type}, so it cannot be divided into classes.`,
      { blame: 'usage', wrong: field.name },
    );
  }
  const batches = await held(layer);
  const shading = shade(batches, column, map.classes, map.colours);
  if (looksLikeCount(batches, column)) {
    machine.reporter.finding({
      code: 'count-mapped',
      severity: 'warning',
      layer: map.layer,
      words: `The map ${name} colours areas by a count (${fieldTitle(field)}): large units look worse because they are large.`,
      repair: 'compute a share or a density and map that',
    });
  }
  const sheetLayers: SheetLayer[] = [];
  const used = new Set<string>([map.layer, ...map.over]);
  for (const under of map.under) {
    used.add(under);
    const opened = await openDataset(under, study, files, machine);
    if (!isLayer(opened))
      throw new IsomericError('geometry-missing', `${under} has no geometry to draw.`, {
        blame: 'usage',
        wrong: under,
      });
    const arrays = (await held(reprojectLayer(opened, area.crs))).map((batch) => batch.geometry!);
    sheetLayers.push({
      title: titleOf(study, under),
      geometries: arrays,
      kind: kindOf(arrays),
      fill: '#f4f3ee',
      stroke: '#c9c6ba',
      width: 0.8,
      silent: true,
    });
  }
  sheetLayers.push({
    title: fieldTitle(field),
    geometries: batches.map((batch) => batch.geometry!),
    kind: 'area',
    shading: { classOf: shading.classOf, colours: shading.colours },
  });
  const turns = { line: 0, point: 0 };
  const above: SheetLayer[] = [];
  for (const over of map.over) {
    const overLayer = layerNamed(layers, over);
    const overBatches = await held(overLayer);
    const arrays = overBatches.map((batch) => batch.geometry!);
    const kind = kindOf(arrays);
    const title = titleOf(study, over);
    const ofClass = await classOfDataset(over, study, machine);
    const styled = ofClass === null ? null : classLayers(title, kind, overLayer.schema, overBatches, ofClass);
    if (styled !== null) above.push(...styled);
    else if (kind === 'area')
      above.push({ title, geometries: arrays, kind, fill: '#5b5550', stroke: 'none', width: 0 });
    else if (kind === 'line')
      above.push({ title, geometries: arrays, kind, ...lineStyle(over, turns.line++) });
    else above.push({ title, geometries: arrays, kind, ...pointStyles[turns.point++ % pointStyles.length] });
  }
  const order = { area: 0, line: 1, point: 2 };
  sheetLayers.push(...above.sort((a, b) => order[a.kind] - order[b.kind]));
  sheetLayers.push({
    title: 'Study area',
    geometries: [area.area.geometry],
    kind: 'area',
    fill: 'none',
    stroke: '#1d2a33',
    width: 1.8,
  });
  return drawSheet({
    title: map.title,
    subtitle: map.subtitle ?? study.study,
    crs: area.crs,
    crsWords: `Grid: ${crsLabel(area.crs)}`,
    layers: sheetLayers,
    legend: {
      title: field.title ?? titleOf(study, field.name),
      unit: field.unit,
      classes: shading.classes,
      colours: shading.colours,
      counts: shading.counts,
      withoutValue: shading.withoutValue,
      methodWords: shadingWords(shading, map.layer),
    },
    extent: area.area.box,
    sources: citations(study, ledger, used),
  });
}

/** Citations of everything that went into the layers of a map, tables joined to them included. */
export function citations(study: Study, ledger: Ledger, names: ReadonlySet<string>): string[] {
  const all = new Set(names);
  for (const name of names)
    for (const step of study.prepare[name] ?? []) for (const other of datasetsOf(step)) all.add(other.name);
  // A second reading of files, or a level of several, is cited like the dataset whose files they are.
  const files = new Set(
    [...all].flatMap((name) => ledger.datasets.get(study.gather[name]?.['same as'] ?? name)?.paths ?? []),
  );
  const told: string[] = [];
  for (const receipt of ledger.received()) {
    const citation = receipt.citation ?? receipt.what;
    if (files.has(receipt.path) && !told.includes(citation)) told.push(citation);
  }
  return told;
}
