import { areaWords, boxWidth, placeWords } from '../crs/area-of-use.ts';
import { distortionWords } from '../crs/best-crs.ts';
import { type Crs, crsLabel, degreesFrame } from '../crs/crs.ts';
import { distortionAt, distortionOver, lengthError } from '../crs/distortion.ts';
import { transformer } from '../crs/transformer.ts';
import { IsomericError } from '../errors.ts';
import { type Box, boxOfPositions } from '../geometry/geometry-array.ts';
import { xmlText } from '../xml-text.ts';
import { rampColours } from './colours.ts';

const width = 1000;
const height = 760;
/** Where the map stands: left, top, right, bottom. */
const frame = [40, 110, 740, 720] as const;
const cells = 24;
const ink = '#1f2933';
const faint = '#7b8794';

/** Least step of 1, 2 or 5 times a power of ten that goes at most `most` times into a length. */
function roundStep(length: number, most: number): number {
  const power = 10 ** Math.floor(Math.log10(length / most));
  return [1, 2, 5, 10].map((n) => n * power).find((step) => length / step <= most)!;
}

const metresInKilometre = (error: number) => {
  const metres = error * 1000;
  return metres < 0.001 ? '0' : Number(metres.toPrecision(2)).toString();
};

/**
 * A picture of how a CRS distorts over an area (degrees), as SVG: the area as it looks in the CRS, in cells that are the
 * darker the more their lengths are wrong, with the graticule and, in places, what becomes of a small circle.
 */
export function distortionPicture(crs: Crs, area: Box): string {
  const report = distortionOver(crs, area);
  if (report === null)
    throw new IsomericError('picture-impossible', `${crsLabel(crs)} shows nothing of ${areaWords(area)}.`, {
      advice: 'Name another area, or another CRS.',
      blame: 'usage',
    });
  const [west, south, , north] = area;
  const wide = boxWidth(area);
  const lat = (share: number) => Math.max(-89.9, Math.min(89.9, south + (north - south) * share));
  const lon = (share: number) => west + wide * share;
  const through = transformer(degreesFrame(crs), crs);
  // Corners of all cells, in the CRS.
  const side = cells + 1;
  const xy = new Float64Array(2 * side * side);
  for (let row = 0; row < side; row++)
    for (let column = 0; column < side; column++) {
      const k = 2 * (row * side + column);
      // A hair within the area: its edge may be the edge of the map.
      xy[k] = lon(0.0001 + (0.9998 * column) / cells);
      xy[k + 1] = lat(0.0001 + (0.9998 * row) / cells);
    }
  through.transform(xy);
  const box = boxOfPositions(xy);
  const scale = Math.min(
    (frame[2] - frame[0]) / (box[2] - box[0]),
    (frame[3] - frame[1]) / (box[3] - box[1]),
  );
  const left = (frame[0] + frame[2]) / 2 - ((box[0] + box[2]) / 2) * scale;
  const base = (frame[1] + frame[3]) / 2 + ((box[1] + box[3]) / 2) * scale;
  const at = (x: number, y: number) => `${(left + x * scale).toFixed(1)} ${(base - y * scale).toFixed(1)}`;
  const errors: number[] = [];
  const found = distortionAt(crs);
  for (let row = 0; row < cells; row++)
    for (let column = 0; column < cells; column++) {
      const each = found(lon((column + 0.5) / cells), lat((row + 0.5) / cells));
      errors.push(each === null ? NaN : Math.max(each.greatestScale - 1, 1 - each.leastScale));
    }
  const most = Math.max(1e-9, lengthError(report), ...errors.filter((value) => !Number.isNaN(value)));
  const count = 6;
  const colours = rampColours('lagoon', count);
  const step = roundStep(most, count);
  const classOf = (error: number) => Math.min(count - 1, Math.floor(error / step));
  const parts: string[] = [];
  for (let row = 0; row < cells; row++)
    for (let column = 0; column < cells; column++) {
      const error = errors[row * cells + column];
      if (Number.isNaN(error)) continue;
      const corners = [
        [row, column],
        [row, column + 1],
        [row + 1, column + 1],
        [row + 1, column],
      ].map(([r, c]) => 2 * (r * side + c));
      if (corners.some((k) => Number.isNaN(xy[k]))) continue;
      const path = corners.map((k) => at(xy[k], xy[k + 1])).join(' L');
      const colour = colours[classOf(error)];
      parts.push(`<path d="M${path}Z" fill="${colour}" stroke="${colour}" stroke-width="0.6"/>`);
    }
  const graticule = roundStep(Math.max(wide, north - south), 8);
  const line = (points: [number, number][]) => {
    const place = Float64Array.from(points.flat());
    through.transform(place);
    let path = '';
    for (let k = 0; k < place.length; k += 2)
      path += Number.isNaN(place[k])
        ? ' '
        : `${path === '' || path.endsWith(' ') ? 'M' : 'L'}${at(place[k], place[k + 1])}`;
    return `<path d="${path.trim()}" fill="none" stroke="${ink}" stroke-opacity="0.35" stroke-width="0.8"/>`;
  };
  const along = Array.from({ length: 61 }, (_, k) => 0.0001 + (0.9998 * k) / 60);
  for (let l = Math.ceil(west / graticule) * graticule; l <= west + wide + 1e-9; l += graticule)
    parts.push(line(along.map((share) => [Math.max(lon(0.0001), Math.min(lon(0.9999), l)), lat(share)])));
  for (let p = Math.ceil(south / graticule) * graticule; p <= north + 1e-9; p += graticule)
    parts.push(line(along.map((share) => [lon(share), Math.max(lat(0.0001), Math.min(lat(0.9999), p))])));
  parts.push(...circles(crs, through.transform, lon, lat, at, Math.min(wide, north - south)));
  const worst = report.worst;
  const legend = colours.slice(0, Math.min(count, classOf(most) + 1)).map((colour, k) => {
    const y = 190 + 30 * k;
    return `<rect x="770" y="${y}" width="26" height="20" fill="${colour}"/><text x="806" y="${y + 15}" font-size="14">${metresInKilometre(k * step)} to ${metresInKilometre((k + 1) * step)}</text>`;
  });
  const below = 220 + 30 * legend.length;
  const notes = [
    `Worst at ${placeWords(worst.longitude, worst.latitude)}:`,
    `lengths ${worst.leastScale.toFixed(6)} to ${worst.greatestScale.toFixed(6)}`,
    `areas ${worst.areaScale.toFixed(6)}`,
    `angles ${worst.angle < 5e-4 ? '0' : worst.angle.toFixed(3)}°`,
    '',
    `Graticule every ${Number(graticule.toPrecision(3))}°.`,
    'Rings: small circles of one size',
    'on the ground, as they look there.',
  ];
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="'Source Sans 3', 'Source Sans Pro', 'Helvetica Neue', Arial, sans-serif" fill="${ink}">`,
    `<title>${xmlText(`Distortion of ${crsLabel(crs)}`)}</title>`,
    `<rect width="${width}" height="${height}" fill="#ffffff"/>`,
    `<text x="40" y="48" font-size="24" font-weight="700">${xmlText(crsLabel(crs))}</text>`,
    `<text x="40" y="76" font-size="15" fill="${faint}">${xmlText(`${areaWords(area)}: ${distortionWords(report)}`)}</text>`,
    ...parts,
    '<text x="770" y="150" font-size="15" font-weight="600">Lengths wrong by,</text><text x="770" y="170" font-size="15" font-weight="600">metres in a kilometre</text>',
    ...legend,
    ...notes.map(
      (text, k) =>
        `<text x="770" y="${below + 22 * k}" font-size="14" fill="${faint}">${xmlText(text)}</text>`,
    ),
    '</svg>',
    '',
  ].join('\n');
}

/** What becomes of circles of one size on the ground, in a raster of five by five. */
function circles(
  crs: Crs,
  transform: (xy: Float64Array) => number,
  lon: (share: number) => number,
  lat: (share: number) => number,
  at: (x: number, y: number) => string,
  size: number,
): string[] {
  const rings: string[] = [];
  const radius = size * 0.055;
  for (const row of [0.1, 0.3, 0.5, 0.7, 0.9])
    for (const column of [0.1, 0.3, 0.5, 0.7, 0.9]) {
      const [l, p] = [lon(column), lat(row)];
      const stretch = Math.cos((p * Math.PI) / 180);
      // Near a pole a circle of this size would go around it.
      if (Math.abs(p) + radius > 88) continue;
      const points = Float64Array.from({ length: 74 }, (_, k) => {
        const turn = ((k >> 1) * Math.PI) / 18;
        return k % 2 === 0 ? l + (radius * Math.sin(turn)) / stretch : p + radius * Math.cos(turn);
      });
      if (transform(points) > 0) continue;
      const path: string[] = [];
      for (let k = 0; k < points.length; k += 2) path.push(at(points[k], points[k + 1]));
      rings.push(
        `<path d="M${path.join('L')}Z" fill="#ffffff" fill-opacity="0.35" stroke="${ink}" stroke-width="1.2"/>`,
      );
    }
  return crs.kind === 'geographic' ? [] : rings;
}
