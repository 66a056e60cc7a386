import {
  areaSpread,
  areaWords,
  axesOfDefinition,
  type Box,
  bestCrs,
  type Crs,
  crsAt,
  crsLabel,
  crsPurposes,
  type DistortionReport,
  distortionOver,
  distortionPicture,
  distortionWords,
  geographicOf,
  grouped,
  IsomericError,
  lengthError,
  methodNamed,
  nearestCrs,
  type ParameterName,
  parameterKind,
  placeOfUse,
  placeWords,
  suggest,
  wkt2FromCrs,
} from '../../core/index.ts';
import { pngFromSvg, writeChunks, writeText } from '../../node/index.ts';
import { degreesOfAreaText } from '../areas.ts';
import { crsArgument } from '../opening.ts';
import { type Output, printJson, sentenceText } from '../output.ts';
import { type AddCommand, outputOf } from './command.ts';

interface CrsOptions {
  at?: string;
  for?: string;
  layer?: string;
  from?: string;
  purpose: string;
  picture?: string;
}

/** Most CRSs that are listed. */
const most = 20;

const shown = (value: number) => Number(value.toPrecision(12)).toString();

function degreesText(value: number): string {
  return `${Number(value.toFixed(9))}°`;
}

const axisWords = {
  en: 'easting, northing',
  ne: 'northing, easting',
  nw: 'northing, westing',
  ws: 'westing, southing',
  sw: 'southing, westing',
} as const;

/** Lines that describe a CRS: what it is, where it is meant for, how it reaches WGS 84. */
function description(crs: Crs): [label: string, text: string][] {
  const base = geographicOf(crs);
  const { ellipsoid } = base;
  const lines: [string, string][] = [['name', crs.name]];
  if (crs.code !== undefined) lines.push(['code', crs.code]);
  if (crs.kind === 'projected') {
    const method = methodNamed(crs.method)!;
    const keeps = { angles: 'keeps angles', areas: 'keeps areas', nothing: 'keeps neither angles nor areas' };
    lines.push([
      'projection',
      `${method.title}${method.epsg === undefined ? '' : ` (EPSG method ${method.epsg})`}; ${keeps[method.keeps]}`,
    ]);
    for (const use of method.parameters) {
      const value = crs.parameters[use.name as ParameterName];
      if (value === undefined) continue;
      const kind = parameterKind(use.name);
      const unit = kind === 'length' ? ` ${crs.unitName}` : kind === 'height' ? ' metre' : '';
      lines.push(['', `${use.epsg}: ${kind === 'angle' ? degreesText(value) : shown(value)}${unit}`]);
    }
  }
  lines.push([
    'unit',
    crs.kind === 'projected' && crs.unit !== 1 ? `${crs.unitName} (${shown(crs.unit)} m)` : crs.unitName,
  ]);
  const axes = crs.code === undefined ? null : axesOfDefinition(crs.code.slice(5));
  if (axes !== null)
    lines.push([
      'axes',
      `${crs.kind === 'geographic' ? (axes === 'ne' ? 'latitude, longitude' : 'longitude, latitude') : axisWords[axes]} in its definition; in memory always east, north`,
    ]);
  lines.push([
    'datum',
    `${base.datum.replaceAll('_', ' ')}; ellipsoid ${ellipsoid.name} (a = ${shown(ellipsoid.a)} m, 1/f = ${ellipsoid.f === 0 ? '∞' : shown(1 / ellipsoid.f)})${base.primeMeridian === 0 ? '' : `; counted from ${degreesText(base.primeMeridian)}`}`,
  ]);
  lines.push([
    'to WGS 84',
    base.shift === null
      ? 'no shift is known; it is never taken for zero'
      : `${base.shift.source}; ${Number.isNaN(base.shift.accuracy) ? 'accuracy not stated' : `accuracy ${base.shift.accuracy} m`}`,
  ]);
  const place = crs.code === undefined ? '' : placeOfUse(crs.code.slice(5));
  if (crs.area !== undefined)
    lines.push(['used in', `${place === '' ? '' : `${place}: `}${areaWords(crs.area)}`]);
  return lines;
}

function printDescription(output: Output, crs: Crs): void {
  const lines = description(crs);
  const width = Math.max(...lines.map(([label]) => label.length));
  for (const [label, text] of lines) output.line(`${output.colours.bold(label.padEnd(width))}  ${text}`);
  for (const remark of crs.remarks ?? [])
    output.line(`${output.colours.yellow('warning')}  ${remark.words} Repair: ${remark.repair}.`);
}

const scale = (value: number) => value.toFixed(6);

function printDistortion(output: Output, report: DistortionReport): void {
  output.line(sentenceText(output, `Distortion: ${distortionWords(report)}.`));
  const names = ['south-west', 'south-east', 'north-west', 'north-east'];
  const rows = report.corners.map(
    (each, k) => [report.corners.length === 4 ? names[k] : 'corner', each] as const,
  );
  for (const [name, each] of [...rows, ['worst', report.worst] as const])
    output.line(
      `  ${name.padEnd(10)}  ${placeWords(each.longitude, each.latitude).padEnd(20)}  lengths ${scale(each.leastScale)} to ${scale(each.greatestScale)}  areas ${scale(each.areaScale)}  angles ${each.angle < 5e-4 ? 0 : Number(each.angle.toFixed(3))}°`,
    );
  if (report.without > 0) output.line(`  ${report.without} places of the area have no image.`);
}

function reportJson(report: DistortionReport | null) {
  if (report === null) return null;
  const { crs: _, points: __, ...rest } = report;
  return { ...rest, lengthError: lengthError(report), areaSpread: areaSpread(report) };
}

const crsJson = (crs: Crs) => ({
  code: crs.code ?? null,
  name: crs.name,
  kind: crs.kind,
  area: crs.area ?? null,
  description: description(crs).map(([label, text]) => (label === '' ? text : `${label}: ${text}`)),
  wkt: wkt2FromCrs(crs),
});

/** Where a CRS is used, short: in words where there are any. */
const placeText = (crs: Crs) =>
  (crs.code === undefined ? '' : placeOfUse(crs.code.slice(5))) || areaWords(crs.area!);

function list(output: Output, found: readonly Crs[], all: number): void {
  for (const crs of found.slice(0, most))
    output.line(
      `${(crs.code ?? '').padEnd(12)}  ${crs.name}${crs.area === undefined ? '' : output.colours.dim(`  ${placeText(crs)}`)}`,
    );
  if (all > most) output.line(output.colours.dim(`${grouped(all - most)} more.`));
}

function placeFrom(text: string): [number, number] {
  const numbers = text.split(',').map(Number);
  const [longitude, latitude] = numbers;
  if (numbers.length === 2 && Math.abs(longitude) <= 360 && Math.abs(latitude) <= 90)
    return [longitude, latitude];
  throw new IsomericError('option-number', `--at ${text} is no place: LON,LAT in degrees is meant.`, {
    blame: 'usage',
  });
}

/** What words mean: one CRS where they name one, else those near to them. */
async function named(words: string): Promise<{ one: Crs | null; near: Crs[] }> {
  try {
    return { one: await crsArgument(words), near: [] };
  } catch (error) {
    if (!(error instanceof IsomericError) || error.code !== 'crs-unknown') throw error;
    const near = nearestCrs(words, 200);
    if (near.length === 0) throw error;
    return { one: null, near };
  }
}

async function describe(
  output: Output,
  words: string,
  area: Box | undefined,
  picture?: string,
): Promise<void> {
  const { one, near } = await named(words);
  if (one === null) {
    if (picture !== undefined)
      throw new IsomericError('crs-unknown', `“${words}” names no one CRS, so there is nothing to picture.`, {
        advice: 'Give a code.',
        blame: 'usage',
      });
    if (output.json) printJson({ words, crs: null, near: near.map(crsJson) });
    else {
      output.line(
        sentenceText(
          output,
          `CRS: “${words}” is near to ${grouped(near.length)}${near.length >= 200 ? ' or more' : ''}.`,
        ),
      );
      list(output, near, near.length);
    }
    return;
  }
  const over = area ?? one.area;
  const report = over === undefined || one.kind === 'geographic' ? null : distortionOver(one, over);
  if (output.json)
    printJson({ words, crs: crsJson(one), near: [], over: over ?? null, distortion: reportJson(report) });
  else {
    printDescription(output, one);
    if (report !== null) printDistortion(output, report);
  }
  if (picture !== undefined) await savePicture(output, one, over, picture);
}

async function savePicture(output: Output, crs: Crs, over: Box | undefined, path: string): Promise<void> {
  if (over === undefined || crs.kind === 'geographic')
    throw new IsomericError('picture-impossible', `There is no distortion to picture for ${crsLabel(crs)}.`, {
      advice:
        crs.kind === 'geographic' ? 'Degrees are no map: name a projected CRS.' : 'Name an area with --for.',
      blame: 'usage',
    });
  const svg = distortionPicture(crs, over);
  if (path.endsWith('.svg')) await writeText(path, svg);
  else await writeChunks(path, [await pngFromSvg(svg, 1280)]);
  if (!output.json) output.line(sentenceText(output, `Picture: ${path}.`));
}

export const addCrs: AddCommand = (program) => {
  program
    .command('crs')
    .description('describe a CRS, find one by words or place, or the best for an area')
    .argument('[words...]', 'a code, a name or words of it, WKT, or a .prj file')
    .option('--at <lon,lat>', 'CRSs that are used at a place (degrees), the most local first')
    .option(
      '--for <area>',
      'the area: a layer with a CRS, a folder with a study, WKT, or words as in a study',
    )
    .option('--layer <name>', 'which layer of that file')
    .option('--from <crs>', 'the CRS that it has, when it does not say so')
    .option('--purpose <what>', 'with --for: mapping, densities (equal areas), distances', 'mapping')
    .option('--picture <file>', 'save a picture of the distortion: .png or .svg')
    .action(async (words: string[], options: CrsOptions, command) => {
      const output = outputOf(command);
      const purpose = crsPurposes.find((each) => each === options.purpose);
      if (purpose === undefined)
        throw new IsomericError('purpose-unknown', `“${options.purpose}” is no purpose.`, {
          advice: suggest(options.purpose, crsPurposes),
          blame: 'usage',
        });
      const area =
        options.for === undefined
          ? undefined
          : await degreesOfAreaText(options.for, options.layer, options.from);
      if (words.length > 0) return describe(output, words.join(' '), area, options.picture);
      if (options.at !== undefined) {
        const [longitude, latitude] = placeFrom(options.at);
        const found = crsAt(longitude, latitude);
        if (output.json)
          printJson({
            at: [longitude, latitude],
            crs: found.map(({ code, name, area: used }) => ({ code: code ?? null, name, area: used })),
          });
        else {
          output.line(
            sentenceText(
              output,
              `CRS: ${grouped(found.length)} are used at ${placeWords(longitude, latitude)}, the most local first.`,
            ),
          );
          list(output, found, found.length);
        }
        return;
      }
      if (area === undefined)
        throw new IsomericError(
          'option-missing',
          'Say which CRS: a code, words, --at LON,LAT, or --for LAYER.',
          {
            advice: 'For example: isomeric crs EPSG:32626',
            blame: 'usage',
          },
        );
      const found = bestCrs(area, purpose);
      if (output.json)
        printJson({
          over: area,
          purpose,
          candidates: found.map(({ crs, kind, reason, report }) => ({
            ...crsJson(crs),
            of: kind,
            reason,
            distortion: reportJson(report),
          })),
        });
      else {
        output.line(sentenceText(output, `CRS: for ${purpose} over ${areaWords(area)}, the best first.`));
        found.forEach(({ crs, reason }, k) => {
          output.line(`${String(k + 1).padStart(3)}  ${output.colours.bold(crsLabel(crs))}`);
          output.line(`     ${reason}`);
        });
      }
      if (options.picture !== undefined && found.length > 0)
        await savePicture(output, found[0].crs, area, options.picture);
    });
};
