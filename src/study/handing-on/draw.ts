import { counted, grouped } from '../../core/account.ts';
import { crsLabel } from '../../core/crs/crs.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { dimensionOf, type GeometryArray } from '../../core/geometry/geometry-array.ts';
import { planarArea } from '../../core/geometry/measures.ts';
import type { Batch } from '../../core/layer/batch.ts';
import { isLayer, type Layer, type Table } from '../../core/layer/layer.ts';
import { reprojectLayer } from '../../core/layer/verbs/reproject.ts';
import { looksLikeCount, type Shading, shade, shadingWords } from '../../core/mapping/choropleth.ts';
import { drawSheet, type SheetLayer } from '../../core/mapping/sheet.ts';
import { fieldIndex, fieldTitle, requireField } from '../../core/table/schema.ts';
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

/** The place of a field that can be mapped: a number. */
function mappedField(layer: Layer, name: string): number {
  const column = requireField(layer.schema, name, layer.name);
  const field = layer.schema[column];
  if (field.type === 'integer' || field.type === 'real') return column;
  throw new IsomericError(
    'field-not-number',
    `“${field.name}” of ${layer.name} is ${field.type}, so it cannot be divided into classes.`,
    { blame: 'usage', wrong: field.name },
  );
}

/** What maps are drawn from. */
export interface Drawing {
  study: Study;
  layers: ReadonlyMap<string, Layer | Table>;
  area: StudyArea;
  files: GatheredFiles;
  ledger: Ledger;
  machine: Machine;
  /** What was found before: what a reader of the map must know stands on it. */
  findings: readonly Finding[];
}

/** Draws a map of a study: its SVG, and what was drawn in one sentence. Where nothing would be coloured it is an error. */
export async function drawMap(
  name: string,
  map: StudyMap,
  { study, layers, area, files, ledger, machine, findings }: Drawing,
): Promise<{ svg: string; sentence: string }> {
  const at = (key: string) => ['draw', name, key];
  const { written } = study;
  const layer = titled(await written.within(at('layer'), () => layerNamed(layers, map.layer)), study);
  const column = await written.within(at('colour by'), () => mappedField(layer, map['colour by']));
  const field = layer.schema[column];
  const batches = await held(layer);
  const shading = shade(batches, column, map.classes, map.colours);
  const blanks = blankWords(batches, layer, column, shading, findings);
  if (shading.counts.every((count) => count === 0))
    throw written.told(blankMap(name, map, blanks, findings), at('colour by'));
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
  const covered = unitsCover(batches, area);
  if (covered < fullCover)
    machine.reporter.finding({
      code: 'units-missing',
      severity: 'warning',
      layer: map.layer,
      words: `${map.layer} cover ${Math.floor(covered * 100)} % of the study area; on the map ${name} the rest has no colour.`,
    });
  const notes = notesFor(study, map, covered, findings);
  const svg = drawSheet({
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
    notes,
    sources: citations(study, ledger, used),
  });
  return { svg, sentence: drawnWords(name, map, shading, blanks) };
}

/** `5 natural classes`… `35 of 37 wards coloured, 2 blank (2 suppressed)`. */
function drawnWords(name: string, map: StudyMap, shading: Shading, blanks: string): string {
  const coloured = shading.counts.reduce((sum, count) => sum + count, 0);
  const all = coloured + shading.withoutValue;
  const which = coloured === all ? `all ${grouped(all)}` : `${grouped(coloured)} of ${grouped(all)}`;
  const classes = counted(shading.counts.length, 'class', 'classes');
  return `Draw: ${name}; “${map.title}”, ${which} ${map.layer} coloured by ${map['colour by']} in ${classes} (${map.classes})${blanks}.`;
}

/** Why features are blank: `, 2 blank (1 suppressed, 1 without a value)`; nothing where none is. */
function blankWords(
  batches: readonly Batch[],
  layer: Layer,
  column: number,
  shading: Shading,
  findings: readonly Finding[],
): string {
  if (shading.withoutValue === 0) return '';
  const { name: mapped, description = '' } = layer.schema[column];
  // Joins that brought the field, or one that it is computed of, and units that they found no row for.
  const joins = findings.flatMap(({ layer: of, without }) =>
    of === layer.name &&
    without?.fields.some((name) => name === mapped || description.includes(name)) === true
      ? [{ table: without.table, keys: new Set(without.keys) }]
      : [],
  );
  const rowless = (unit: string) => {
    const found = joins.find(({ keys }) => keys.has(unit));
    return found === undefined ? null : `without a row in ${found.table}`;
  };
  const reasonsOf = layer.schema.flatMap(({ name }, c) => {
    const of = /^(.+)_reason$/.exec(name)?.[1];
    return of === undefined ? [] : [{ c, of: of === layer.schema[column].name ? '' : `${of} ` }];
  });
  const key = layer.schema.findIndex((each) => each.role === 'code');
  const code = key < 0 ? fieldIndex(layer.schema, 'code') : key;
  const reasons = new Map<string, string[]>();
  const limits = shading.classes.breaks;
  batches.forEach((batch, b) => {
    for (let i = 0; i < batch.length; i++) {
      if (shading.classOf[b][i] >= 0) continue;
      const value = batch.columns[column].number(i);
      const unit = (code < 0 ? null : batch.columns[code].text(i)) ?? String(batch.id(i));
      const told = Number.isNaN(value)
        ? (reasonIn(batch, i, reasonsOf) ?? rowless(unit) ?? 'without a value')
        : `outside ${limits[0]} to ${limits.at(-1)}`;
      const units = reasons.get(told);
      if (units === undefined) reasons.set(told, [unit]);
      else units.push(unit);
    }
  });
  const listed = [...reasons]
    .sort((a, b) => b[1].length - a[1].length)
    .map(([words, units]) => `${units.length <= 3 ? units.join(', ') : grouped(units.length)} ${words}`)
    .join('; ');
  return `, ${grouped(shading.withoutValue)} blank (${listed})`;
}

/** Why a value is blank: its own reason, or that of a field that it may be computed of. */
function reasonIn(batch: Batch, i: number, reasons: readonly { c: number; of: string }[]): string | null {
  const told = reasons.flatMap(({ c, of }) => {
    const reason = batch.columns[c].text(i);
    return reason === null ? [] : [{ of, reason }];
  });
  const own = told.find(({ of }) => of === '') ?? told[0];
  return own === undefined ? null : `${own.of}${own.reason}`;
}

/** A map on which nothing has a colour is none, whatever else is on it. */
function blankMap(name: string, map: StudyMap, blanks: string, findings: readonly Finding[]): IsomericError {
  const cause = findings.find(({ layer, severity }) => layer === map.layer && severity === 'error');
  const cure = findings.find(
    ({ layer, code, repair }) => layer === map.layer && code.startsWith('join-') && repair !== undefined,
  );
  return new IsomericError(
    'map-blank',
    `The map ${name} would be blank: no ${map.layer} has a colour${blanks}.`,
    {
      advice: [cause?.words, cure === undefined ? '' : `${cure.words} Repair: ${cure.repair}.`]
        .filter(Boolean)
        .join(' '),
      blame: 'input',
    },
  );
}

/** Less is told: borders that were generalised otherwise take away a little. */
const fullCover = 0.98;

/** The share of the area, without its margin, that the coloured units cover, at most 1. */
function unitsCover(batches: readonly Batch[], { core }: StudyArea): number {
  const total = (array: GeometryArray) => {
    let sum = 0;
    for (let i = 0; i < array.length; i++) sum += planarArea(array, i);
    return sum;
  };
  const whole = total(core.geometry);
  const covered = batches.reduce((sum, batch) => sum + total(batch.geometry!), 0);
  return whole > 0 ? Math.min(1, covered / whole) : 1;
}

/** What a reader of a map must know to believe it. */
function notesFor(study: Study, map: StudyMap, covered: number, findings: readonly Finding[]): string[] {
  const notes: string[] = [];
  if (covered < fullCover)
    notes.push(`${titleOf(study, map.layer)} cover ${Math.floor(covered * 100)} % of the study area.`);
  for (const { code, layer, words } of findings)
    if (code === 'source-ends' && layer !== undefined && [map.layer, ...map.over].includes(layer))
      notes.push(words);
  return notes;
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
  const untold: string[] = [];
  for (const receipt of ledger.received()) {
    if (!files.has(receipt.path)) continue;
    const { citation } = receipt;
    const name = receipt.url === receipt.path ? receipt.path : receipt.what;
    if (citation === undefined) {
      if (!untold.includes(name)) untold.push(name);
    } else if (!told.includes(citation)) told.push(citation);
  }
  return untold.length === 0 ? told : [...told, `${untold.join(', ')} (no citation given).`];
}
