import type { Crs } from '../crs/crs.ts';
import { type Box, emptyBox, type GeometryArray, growBox, isEmptyBox } from '../geometry/geometry-array.ts';
import { xmlText } from '../xml-text.ts';
import type { Classes } from './classes.ts';
import { limitTexts, numberText, roundLength } from './numbers.ts';
import { metresPerUnit, northAngle } from './orientation.ts';
import { areaPath, linePath, pointList, type View } from './svg-paths.ts';

/** How a layer is drawn on a sheet. */
export interface SheetLayer {
  title: string;
  /** Geometry in the sheet's CRS. */
  geometries: readonly GeometryArray[];
  kind: 'area' | 'line' | 'point';
  /** A colour a class; feature i of array a has class `classes[a][i]` (−1: no value). */
  shading?: { classOf: readonly Int8Array[]; colours: readonly string[] };
  fill?: string;
  stroke?: string;
  width?: number;
  /** Left out of the legend (backdrops). */
  silent?: boolean;
}

/** The legend of a map of classes. */
export interface ClassLegend {
  title: string;
  unit?: string;
  classes: Classes;
  colours: readonly string[];
  /** Features in each class. */
  counts: readonly number[];
  withoutValue: number;
  methodWords: string;
}

/** A map sheet: title, layers, legend, scale, sources. */
export interface Sheet {
  title: string;
  subtitle?: string;
  crs: Crs;
  crsWords: string;
  /** From below to above. */
  layers: readonly SheetLayer[];
  legend?: ClassLegend;
  /** Words that stand on the map, each in the middle of a place in its CRS. */
  labels?: readonly { at: readonly [number, number]; text: string }[];
  /** What the map shows; the layers' own box when left out. */
  extent: Box;
  /** What a reader must know to believe the map: where data end, what is missing. */
  notes?: readonly string[];
  sources: readonly string[];
}

/** A4 across at 96 dots an inch. */
export const sheetWidth = 1123;
/** Height of a sheet in units of 1/96 inch. */
export const sheetHeight = 794;
const frame = { x: 36, y: 104, width: 752, height: 596 };
const column = { x: 820, y: 104, width: 267 };
const ink = '#1d2a33';
const quiet = '#5b6b76';
const warning = '#8a3b00';
const mostFooterLines = 5;
const noValue = '#e3e3e0';
const font = "font-family=\"'Source Sans 3', 'Source Sans Pro', 'Helvetica Neue', Arial, sans-serif\"";

/** Size of the letters of a class, so that its limits and the count at the right stand apart: digits are half as wide as high. */
const limitSize = (text: string, width: number, count: string): number =>
  Math.max(9, Math.min(14, Math.floor((width - 12 - 7 * count.length) / (0.53 * text.length))));

/** Draws a map sheet: title, map, legend, scale bar, north arrow, sources. Returns SVG text. */
export function drawSheet(sheet: Sheet): string {
  const view = viewOf(sheet.extent);
  const parts: string[] = [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${sheetWidth}" height="${sheetHeight}" viewBox="0 0 ${sheetWidth} ${sheetHeight}" ${font} fill="${ink}">`,
    `<title>${xmlText(sheet.title)}</title>`,
    '<defs>',
    `<clipPath id="frame"><rect x="${frame.x}" y="${frame.y}" width="${frame.width}" height="${frame.height}"/></clipPath>`,
    `<pattern id="no-value" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="6" height="6" fill="${noValue}"/><line x1="0" y1="0" x2="0" y2="6" stroke="#b9bab6" stroke-width="1.6"/></pattern>`,
    '</defs>',
    `<rect width="${sheetWidth}" height="${sheetHeight}" fill="#ffffff"/>`,
    `<text x="36" y="56" font-size="28" font-weight="700">${xmlText(sheet.title)}</text>`,
  ];
  if (sheet.subtitle !== undefined)
    parts.push(`<text x="36" y="82" font-size="15" fill="${quiet}">${xmlText(sheet.subtitle)}</text>`);
  parts.push(
    `<rect x="${frame.x}" y="${frame.y}" width="${frame.width}" height="${frame.height}" fill="#dfeaf0"/>`,
  );
  parts.push('<g clip-path="url(#frame)">');
  for (const layer of sheet.layers) parts.push(drawLayer(layer, view));
  for (const { at, text } of sheet.labels ?? [])
    parts.push(
      `<text x="${(view.x0 + at[0] * view.scale).toFixed(1)}" y="${(view.y0 - at[1] * view.scale + 4).toFixed(1)}" font-size="12" font-weight="600" text-anchor="middle" fill="${ink}" stroke="#ffffff" stroke-width="3" stroke-opacity="0.8" paint-order="stroke">${xmlText(text)}</text>`,
    );
  parts.push('</g>');
  parts.push(
    `<rect x="${frame.x}" y="${frame.y}" width="${frame.width}" height="${frame.height}" fill="none" stroke="${ink}" stroke-width="1"/>`,
  );
  parts.push(scaleBar(sheet, view), northArrow(sheet, view));
  parts.push(legend(sheet));
  parts.push(footer(sheet));
  parts.push('</svg>');
  return `${parts.filter((part) => part !== '').join('\n')}\n`;
}

function viewOf(extent: Box): View {
  const box = [...extent] as Box;
  const margin = 0.03 * Math.max(box[2] - box[0], box[3] - box[1], 1e-9);
  const width = box[2] - box[0] + 2 * margin;
  const height = box[3] - box[1] + 2 * margin;
  const scale = Math.min(frame.width / width, frame.height / height);
  const centreX = (box[0] + box[2]) / 2;
  const centreY = (box[1] + box[3]) / 2;
  return {
    scale,
    x0: frame.x + frame.width / 2 - centreX * scale,
    y0: frame.y + frame.height / 2 + centreY * scale,
  };
}

function drawLayer(layer: SheetLayer, view: View): string {
  if (layer.shading !== undefined) return drawShaded(layer, view);
  if (layer.kind === 'area') {
    const d = layer.geometries.map((array) => areaPath(array, null, view)).join('');
    return `<path d="${d}" fill="${layer.fill ?? 'none'}" fill-rule="evenodd" stroke="${layer.stroke ?? 'none'}" stroke-width="${layer.width ?? 1}" stroke-linejoin="round"/>`;
  }
  if (layer.kind === 'line') {
    const d = layer.geometries.map((array) => linePath(array, view)).join('');
    const width = layer.width ?? 1;
    // A light casing keeps lines apart from whatever colour lies below.
    return [
      ['#ffffff', width + 1.8, 0.75],
      [layer.stroke ?? quiet, width, 1],
    ]
      .map(
        ([stroke, wide, opacity]) =>
          `<path d="${d}" fill="none" stroke="${stroke}" stroke-width="${wide}" stroke-opacity="${opacity}" stroke-linejoin="round" stroke-linecap="round"/>`,
      )
      .join('');
  }
  const radius = layer.width ?? 4;
  const marks = layer.geometries
    .flatMap((array) => pointList(array, view))
    .map(([x, y]) => `<circle cx="${x}" cy="${y}" r="${radius}"/>`);
  return `<g fill="${layer.fill ?? '#ffffff'}" stroke="${layer.stroke ?? ink}" stroke-width="${Math.max(0.8, radius / 3)}">${marks.join('')}</g>`;
}

/** One path a class: small files, and no hairlines between neighbours of one class. */
function drawShaded(layer: SheetLayer, view: View): string {
  const { classOf, colours } = layer.shading!;
  const paths = [-1, ...colours.keys()].map((wanted) => {
    const d = layer.geometries
      .map((array, a) => areaPath(array, (i) => classOf[a][i] === wanted, view))
      .join('');
    return d === ''
      ? ''
      : `<path d="${d}" fill="${wanted < 0 ? 'url(#no-value)' : colours[wanted]}" fill-rule="evenodd"/>`;
  });
  const borders = layer.geometries.map((array) => areaPath(array, null, view)).join('');
  return `<g>${paths.join('')}<path d="${borders}" fill="none" stroke="${layer.stroke ?? '#66757e'}" stroke-width="${layer.width ?? 0.5}" stroke-linejoin="round"/></g>`;
}

function legend(sheet: Sheet): string {
  const parts: string[] = [];
  let y = column.y + 14;
  const { legend: classes } = sheet;
  if (classes !== undefined) {
    for (const line of wrap(classes.title, 32)) {
      parts.push(`<text x="${column.x}" y="${y}" font-size="16" font-weight="600">${xmlText(line)}</text>`);
      y += 20;
    }
    if (classes.unit !== undefined) {
      parts.push(
        `<text x="${column.x}" y="${y}" font-size="13" fill="${quiet}">${xmlText(classes.unit)}</text>`,
      );
      y += 18;
    }
    y += 4;
    const { breaks } = classes.classes;
    const limits = limitTexts(breaks);
    const texts = classes.counts.map((_, k) =>
      breaks[k] === breaks[k + 1] ? limits[k] : `${k === 0 ? '' : 'over '}${limits[k]} – ${limits[k + 1]}`,
    );
    const size = Math.min(
      ...texts.map((text, k) => limitSize(text, column.width - 44, numberText(classes.counts[k], 0))),
    );
    for (let k = 0; k < breaks.length - 1; k++) {
      const text = texts[k];
      parts.push(
        `<rect x="${column.x}" y="${y}" width="34" height="18" fill="${classes.colours[k]}" stroke="#8b969d" stroke-width="0.5"/>`,
      );
      const count = numberText(classes.counts[k], 0);
      parts.push(`<text x="${column.x + 44}" y="${y + 14}" font-size="${size}">${xmlText(text)}</text>`);
      parts.push(
        `<text x="${column.x + column.width}" y="${y + 14}" font-size="13" fill="${quiet}" text-anchor="end">${count}</text>`,
      );
      y += 23;
    }
    if (classes.withoutValue > 0) {
      parts.push(
        `<rect x="${column.x}" y="${y}" width="34" height="18" fill="url(#no-value)" stroke="#8b969d" stroke-width="0.5"/>`,
      );
      parts.push(`<text x="${column.x + 44}" y="${y + 14}" font-size="14">no value</text>`);
      parts.push(
        `<text x="${column.x + column.width}" y="${y + 14}" font-size="13" fill="${quiet}" text-anchor="end">${numberText(classes.withoutValue, 0)}</text>`,
      );
      y += 23;
    }
    y += 4;
    for (const line of wrap(classes.methodWords, 46)) {
      parts.push(`<text x="${column.x}" y="${y + 8}" font-size="12" fill="${quiet}">${xmlText(line)}</text>`);
      y += 15;
    }
    y += 22;
  }
  for (const layer of sheet.layers) {
    if (layer.silent || layer.shading !== undefined) continue;
    const middle = y + 9;
    if (layer.kind === 'area')
      parts.push(
        `<rect x="${column.x}" y="${y}" width="34" height="18" fill="${layer.fill ?? 'none'}" stroke="${layer.stroke ?? ink}" stroke-width="${layer.width ?? 1}"/>`,
      );
    else if (layer.kind === 'line')
      parts.push(
        `<line x1="${column.x}" y1="${middle}" x2="${column.x + 34}" y2="${middle}" stroke="${layer.stroke ?? quiet}" stroke-width="${layer.width ?? 1}" stroke-linecap="round"/>`,
      );
    else
      parts.push(
        `<circle cx="${column.x + 17}" cy="${middle}" r="${layer.width ?? 4}" fill="${layer.fill ?? '#ffffff'}" stroke="${layer.stroke ?? ink}" stroke-width="${Math.max(0.8, (layer.width ?? 4) / 3)}"/>`,
      );
    parts.push(`<text x="${column.x + 44}" y="${y + 14}" font-size="14">${xmlText(layer.title)}</text>`);
    y += 25;
  }
  return parts.join('\n');
}

function scaleBar(sheet: Sheet, view: View): string {
  const centre: [number, number] = [
    (sheet.extent[0] + sheet.extent[2]) / 2,
    (sheet.extent[1] + sheet.extent[3]) / 2,
  ];
  const metresPerPixel = metresPerUnit(sheet.crs, centre[1]) / view.scale;
  const metres = roundLength(190 * metresPerPixel);
  const length = metres / metresPerPixel;
  const x = frame.x + 20;
  const y = frame.y + frame.height - 34;
  const label = (value: number) =>
    metres >= 1000 ? `${numberText(value / 1000, value % 1000 === 0 ? 0 : 1)}` : numberText(value, 0);
  const unit = metres >= 1000 ? 'km' : 'm';
  const quarter = length / 4;
  const boxes = [0, 1, 2, 3].map(
    (k) =>
      `<rect x="${(x + k * quarter).toFixed(1)}" y="${y}" width="${quarter.toFixed(1)}" height="6" fill="${k % 2 === 0 ? ink : '#ffffff'}" stroke="${ink}" stroke-width="0.8"/>`,
  );
  const texts = [0, 2, 4].map(
    (k) =>
      `<text x="${(x + k * quarter).toFixed(1)}" y="${y - 5}" font-size="12" text-anchor="middle">${label((metres * k) / 4)}${k === 4 ? ` ${unit}` : ''}</text>`,
  );
  return `<g><rect x="${x - 10}" y="${y - 20}" width="${(length + 42).toFixed(1)}" height="36" fill="#ffffff" fill-opacity="0.82" rx="3"/>${boxes.join('')}${texts.join('')}</g>`;
}

function northArrow(sheet: Sheet, _view: View): string {
  const centre: [number, number] = [
    (sheet.extent[0] + sheet.extent[2]) / 2,
    (sheet.extent[1] + sheet.extent[3]) / 2,
  ];
  const angle = northAngle(sheet.crs, centre);
  const x = frame.x + frame.width - 34;
  const y = frame.y + 44;
  return `<g transform="translate(${x} ${y}) rotate(${angle.toFixed(2)})"><circle r="25" fill="#ffffff" fill-opacity="0.82"/><path d="M0 -14 L6 12 L0 7 Z" fill="${ink}"/><path d="M0 -14 L-6 12 L0 7 Z" fill="#ffffff" stroke="${ink}" stroke-width="0.8"/><text y="-15" font-size="11" font-weight="700" text-anchor="middle" dy="1">N</text></g>`;
}

function footer(sheet: Sheet): string {
  const notes = wrap((sheet.notes ?? []).join(' '), 150).slice(0, 3);
  const sources = sheet.sources.length === 0 ? 'not named.' : sheet.sources.join(' ');
  const lines = wrap(`Sources: ${sources}`, 168);
  const room = mostFooterLines - notes.length - 1;
  const shown = lines.length <= room ? lines : [...lines.slice(0, room - 1), `${lines[room - 1]} …`];
  const told: [string, string][] = [
    ...notes.map((line): [string, string] => [line, `font-weight="600" fill="${warning}"`]),
    ...[...shown, `${sheet.crsWords}. Made with Isomeric.`].map((line): [string, string] => [
      line,
      `fill="${quiet}"`,
    ]),
  ];
  return told
    .map(
      ([line, style], k) =>
        `<text x="36" y="${718 + 15 * k}" font-size="11.5" ${style}>${xmlText(line)}</text>`,
    )
    .join('\n');
}

/** Breaks text into lines of at most `width` characters. */
function wrap(text: string, width: number): string[] {
  const lines: string[] = [];
  let line = '';
  for (const word of text.split(' ')) {
    if (line !== '' && line.length + 1 + word.length > width) {
      lines.push(line);
      line = word;
    } else line = line === '' ? word : `${line} ${word}`;
  }
  if (line !== '') lines.push(line);
  return lines;
}

/** Box of layers, for the extent of a sheet. */
export function boxOfArrays(arrays: readonly GeometryArray[]): Box {
  const box = emptyBox();
  for (const array of arrays) growBox(box, array.box());
  return isEmptyBox(box) ? [0, 0, 1, 1] : box;
}
