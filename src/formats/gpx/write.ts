import { type Account, counted } from '../../core/account.ts';
import { dictionary } from '../../core/dictionary.ts';
import { type GeometryArray, Kind } from '../../core/geometry/geometry-array.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { inWgs84 } from '../writing/longitude-latitude.ts';
import { renamedNote, xmlNames, xmlText } from '../xml/write-xml.ts';

/** Elements of a waypoint and of a track in the order that the schema of GPX 1.1 asks for. */
const pointElements = [
  'time',
  'magvar',
  'geoidheight',
  'name',
  'cmt',
  'desc',
  'src',
  'link',
  'sym',
  'type',
  'fix',
  'sat',
  'hdop',
  'vdop',
  'pdop',
  'ageofdgpsdata',
  'dgpsid',
];
const trackElements = ['name', 'cmt', 'desc', 'src', 'link', 'number', 'type'];

/** Of these a value must be of a kind that the schema knows; else it goes among the extensions. */
const checks: Readonly<Record<string, (text: string) => boolean>> = dictionary({
  time: (text) => !Number.isNaN(Date.parse(text)) && /T/.test(text),
  magvar: (text) => Number(text) >= 0 && Number(text) < 360,
  geoidheight: numeric,
  fix: (text) => ['none', '2d', '3d', 'dgps', 'pps'].includes(text),
  sat: (text) => /^\d+$/.test(text),
  hdop: numeric,
  vdop: numeric,
  pdop: numeric,
  ageofdgpsdata: numeric,
  dgpsid: (text) => /^\d+$/.test(text) && Number(text) <= 1023,
  number: (text) => /^\d+$/.test(text),
});

function numeric(text: string): boolean {
  return text !== '' && Number.isFinite(Number(text));
}

/**
 * GPX 1.1: points as waypoints, lines as tracks (a part is a segment), rings of areas as tracks too. Fields that GPX
 * knows are written as such, all others as extensions under a namespace of our own.
 */
export async function* writeGpx(
  layers: readonly Layer[],
  accounts: readonly Account[],
): AsyncGenerator<Uint8Array> {
  const encoder = new TextEncoder();
  const sources = layers.map((layer, k) => inWgs84(layer, 'GPX', accounts[k]));
  yield encoder.encode(
    '<?xml version="1.0" encoding="UTF-8"?>\n<gpx version="1.1" creator="Isomeric" xmlns="http://www.topografix.com/GPX/1/1" xmlns:iso="urn:isomeric:fields">\n',
  );
  // The schema asks for waypoints before tracks.
  for (const points of [true, false])
    for (let k = 0; k < sources.length; k++) yield* one(sources[k], points, accounts[k], encoder);
  yield encoder.encode('</gpx>\n');
}

async function* one(
  layer: Layer,
  points: boolean,
  account: Account,
  encoder: TextEncoder,
): AsyncGenerator<Uint8Array> {
  const names = xmlNames(layer.schema.map((field) => field.name));
  const renamed = renamedNote(layer.schema, names);
  if (points && renamed !== undefined) account.notes.push(renamed);
  let areas = 0;
  let several = 0;
  let waypoints = 0;
  let without = 0;
  let measures = false;
  for await (const batch of layer.batches()) {
    const geometry = batch.geometry!;
    measures ||= geometry.m !== null;
    let text = '';
    for (let i = 0; i < batch.length; i++) {
      const kinds = partKinds(geometry, i);
      if (kinds === 0) {
        if (points) without++;
        continue;
      }
      const values = (elements: readonly string[]) => {
        let own = '';
        let extra = '';
        const taken = new Set<string>();
        for (const element of elements) {
          const c = layer.schema.findIndex((field) => field.name === element);
          const value = c < 0 ? null : batch.columns[c].text(i);
          if (value === null || value === '' || checks[element]?.(value) === false) continue;
          taken.add(element);
          own +=
            element === 'link'
              ? `<link href="${xmlText(value)}"/>`
              : `<${element}>${xmlText(value)}</${element}>`;
        }
        layer.schema.forEach((field, c) => {
          const value = batch.columns[c].text(i);
          if (value !== null && !taken.has(field.name))
            extra += `<iso:${names[c]}>${xmlText(value)}</iso:${names[c]}>`;
        });
        return own + (extra === '' ? '' : `<extensions>${extra}</extensions>`);
      };
      if (points && kinds & 1) {
        const inner = values(pointElements);
        let own = 0;
        for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
          if (geometry.kindOfPart(i, p) !== Kind.Point) continue;
          own++;
          text += `${position(geometry, geometry.vertexStart[geometry.ringStart[p]], 'wpt', inner)}\n`;
        }
        if (own > 1) {
          several++;
          waypoints += own;
        }
      } else if (!points && kinds & 6) {
        if (kinds & 4) areas++;
        let segments = '';
        for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++) {
          if (geometry.kindOfPart(i, p) === Kind.Point) continue;
          for (let r = geometry.ringStart[p]; r < geometry.ringStart[p + 1]; r++) {
            segments += '<trkseg>';
            for (let v = geometry.vertexStart[r]; v < geometry.vertexStart[r + 1]; v++)
              segments += position(geometry, v, 'trkpt', '');
            segments += '</trkseg>';
          }
        }
        text += `<trk>${values(trackElements)}${segments}</trk>\n`;
      }
      if (text.length > 1 << 19) {
        yield encoder.encode(text);
        text = '';
      }
    }
    yield encoder.encode(text);
  }
  if (several > 0)
    account.notes.push(
      `${counted(several, 'feature', 'features')} of several points became ${counted(waypoints, 'waypoint', 'waypoints')}: GPX has one point each.`,
    );
  if (areas > 0)
    account.notes.push(
      `${counted(areas, 'area was', 'areas were')} written as tracks along the rings: GPX has no areas.`,
    );
  if (points) account.counts.leftOut = without;
  if (without > 0)
    account.notes.push(`${counted(without, 'feature', 'features')} without geometry left out: GPX has none.`);
  if (measures && points) account.notes.push('GPX holds no measures (M); they were left out.');
}

/** Bits 1, 2, 4: the feature has points, lines, areas. */
function partKinds(geometry: GeometryArray, i: number): number {
  let bits = 0;
  for (let p = geometry.partStart[i]; p < geometry.partStart[i + 1]; p++)
    bits |= 1 << (geometry.kindOfPart(i, p) - 1);
  return bits;
}

function position(geometry: GeometryArray, v: number, element: string, inner: string): string {
  const z = geometry.z?.[v];
  const ele = z === undefined || Number.isNaN(z) ? '' : `<ele>${z}</ele>`;
  const head = `<${element} lat="${geometry.xy[2 * v + 1]}" lon="${geometry.xy[2 * v]}"`;
  return ele === '' && inner === '' ? `${head}/>` : `${head}>${ele}${inner}</${element}>`;
}
