import { wgs84 } from '../../core/crs/registry.ts';
import { IsomericError } from '../../core/errors.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';
import { type Layer, layerOf } from '../../core/layer/layer.ts';
import type { Field } from '../../core/table/schema.ts';
import type { ByteSource } from '../bytes/byte-source.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { baseName } from '../opening/names.ts';
import { type PhotoNotes, photoNotes } from './exif.ts';

/** Exif stands in the first segments, each of 64 KiB at most. */
const headLength = 1 << 17;

/** Fields of photos, whatever of them a camera tells. */
export const photoFields: readonly Field[] = [
  { name: 'photo', type: 'text', title: 'File of the photo' },
  { name: 'time', type: 'timestamp', title: 'Taken' },
  { name: 'zone', type: 'text', title: 'Zone of the camera’s clock' },
  { name: 'clock', type: 'text', title: 'Clock of the camera' },
  { name: 'direction', type: 'real', title: 'Looking towards', unit: 'degrees' },
  { name: 'accuracy', type: 'real', title: 'Standard error of the position', unit: 'm' },
  { name: 'hdop', type: 'real', title: 'Dilution of precision' },
  { name: 'sat', type: 'text', title: 'Satellites' },
  { name: 'desc', type: 'text', title: 'Description' },
  { name: 'camera', type: 'text', title: 'Camera' },
];

/** What the camera wrote into a photo. @throws IsomericError `photo-unreadable` where it wrote nothing */
export async function notesOf(source: ByteSource): Promise<PhotoNotes> {
  const notes = photoNotes(await source.bytes(0, headLength));
  if (notes !== null) return notes;
  throw new IsomericError('photo-unreadable', 'The camera wrote no time and no position into it (no Exif).', {
    place: { file: source.name },
    advice: 'Take the original: some programs leave out what the camera wrote.',
  });
}

/** Adds a photo as a feature; its fields are `photoFields`. */
export function putPhoto(maker: BatchMaker, name: string, notes: PhotoNotes): void {
  const { lon, lat, height } = notes;
  if (!Number.isNaN(lon)) {
    const { geometry } = maker;
    geometry.feature(Kind.Point);
    geometry.part();
    geometry.ring();
    geometry.vertex(lon, lat);
    if (!Number.isNaN(height)) geometry.height(height);
  }
  const camera = [notes.make, notes.model].filter((word) => word !== null).join(' ');
  const values: (string | number | null)[] = [
    name,
    notes.time,
    notes.zone,
    notes.clock,
    notes.direction,
    notes.error,
    notes.dilution,
    notes.satellites,
    notes.description,
    camera === '' ? null : camera,
  ];
  values.forEach((value, c) => {
    if (value === null || Number.isNaN(value)) maker.columns[c].null();
    else if (typeof value === 'string') maker.columns[c].text(value);
    else maker.columns[c].number(value);
  });
  maker.end();
}

/** What is to be known of the position of a photo. */
export function photoFindings(file: string, { datum, lat }: PhotoNotes): Finding[] {
  if (datum === null || Number.isNaN(lat) || /^(WGS[- ]?84|WGS 1984)$/i.test(datum)) return [];
  return [
    {
      code: 'photo-datum',
      severity: 'warning',
      words: `${file}: its position is said to be on ${datum.slice(0, 40)}, and was taken as WGS 84.`,
      repair: 'look where it lies; by a datum of the country it may be some hundred metres off',
    },
  ];
}

/** Opens a photo that a camera placed: one point, with time, direction and what else was written (Exif). */
export async function openPhoto(source: ByteSource): Promise<Layer> {
  const notes = await notesOf(source);
  const maker = new BatchMaker(photoFields);
  const { name } = source;
  putPhoto(maker, name.slice(name.lastIndexOf('/') + 1), notes);
  return layerOf({
    name: baseName(name),
    schema: photoFields,
    crs: wgs84(),
    kinds: ['Point'],
    batches: maker.take(true),
    findings: photoFindings(name, notes),
  });
}
