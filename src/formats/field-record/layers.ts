import { type Count, closeAccount, openAccount, resetAccount } from '../../core/account.ts';
import { wgs84 } from '../../core/crs/registry.ts';
import { type DayChoice, isOnDay } from '../../core/field/days.ts';
import { isNamed } from '../../core/field/names.ts';
import type { Finding } from '../../core/findings.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import { concatenate } from '../../core/layer/concatenate.ts';
import { type Layer, layerOf } from '../../core/layer/layer.ts';
import { applyVerb } from '../../core/layer/verbs/verb.ts';
import { ColumnBuilder } from '../../core/table/column-builder.ts';
import { type Field, fieldIndex } from '../../core/table/schema.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import { photoFields, putPhoto } from '../photo/read.ts';
import { type RecordChoice, trackName } from './choose.ts';
import type { RecordFile } from './files.ts';
import { trackLines } from './lines.ts';
import { fileName, type RecordList } from './survey.ts';

/**
 * Metres by which a position is off at a dilution of one, where the receiver does not tell its error itself: the usual error of
 * the distances to the satellites.
 */
export const usualRangeError = 5;

/** How the record is read. */
export interface RecordReading {
  /** Tracks as lines, a feature for each with its segments as parts; as points when left out. */
  lines?: boolean;
  /** Metres of error at a dilution of one. */
  rangeError?: number;
}

/** Readable titles of what GPX and receivers call shortly. */
const titles: Readonly<Record<string, string>> = {
  name: 'Name',
  time: 'Time',
  zone: 'Zone of the clock',
  cmt: 'Comment',
  desc: 'Note',
  sym: 'Symbol',
  type: 'Kind',
  fix: 'Fix',
  sat: 'Satellites',
  hdop: 'Horizontal dilution of precision',
  vdop: 'Vertical dilution of precision',
  pdop: 'Dilution of precision in space',
  track: 'Number of the track',
  track_name: 'Track',
  segment: 'Segment',
  point: 'Point',
};

/** The chosen things of a receiver as a layer, in the geographic CRS that they were recorded in. Nothing is read before it is needed. */
export function recordLayer(
  name: string,
  files: readonly RecordFile[],
  list: RecordList,
  choice: RecordChoice,
  reading: RecordReading = {},
): Layer {
  if (choice.kind === 'photos') return photoLayer(name, files, choice);
  const wanted = choice.kind === 'tracks' ? 'track_points' : choice.kind;
  const parts = files.flatMap(({ layers, path }) =>
    layers.filter((layer) => layer.name === wanted).map((layer) => withFile(layer, path)),
  );
  if (parts.length === 0) return noFeatures(name);
  const findings = files.flatMap((file) => file.findings);
  const whole: Layer = { ...concatenate(name, parts), findings, kinds: parts[0].kinds };
  const chosen = chosenRows(whole, choice, files, list);
  const titled = {
    ...chosen,
    schema: chosen.schema.map((field) => ({ ...field, title: field.title ?? titles[field.name] })),
  };
  if (choice.kind === 'routes') return titled;
  // What is to be known of the files is told with the points.
  if (choice.kind === 'tracks' && reading.lines === true)
    return { ...trackLines(titled, files), findings: [] };
  return withPlaces(titled, reading.rangeError ?? usualRangeError);
}

function noFeatures(name: string): Layer {
  return layerOf({ name, schema: [], crs: wgs84(), kinds: [], batches: [] });
}

/** The file that a feature stands in, as its first field. */
function withFile(layer: Layer, path: string): Layer {
  const field: Field = { name: 'file', type: 'text', title: 'File of the receiver' };
  return {
    ...layer,
    schema: [field, ...layer.schema],
    async *batches(options) {
      for await (const batch of layer.batches(options)) {
        const file = new ColumnBuilder('text');
        for (let i = 0; i < batch.length; i++) file.text(path);
        yield batch.with({ columns: [file.finish(), ...batch.columns] });
      }
    },
  };
}

/** Only what is chosen, each thing once. */
function chosenRows(
  layer: Layer,
  choice: RecordChoice,
  files: readonly RecordFile[],
  list: RecordList,
): Layer {
  const { kind, names, days } = choice;
  const column = (name: string) => fieldIndex(layer.schema, name);
  const [file, name, track, time] = [0, column('name'), column('track'), column('time')];
  // Tracks that are wanted, by file and number: they are chosen by names that may not stand in the file.
  const tracks = new Map<string, 'wanted' | 'again'>();
  if (kind === 'tracks')
    for (const each of list.tracks)
      if (isNamed(names, trackName(each, files[each.file].path)))
        tracks.set(`${files[each.file].path}\0${each.number}`, each.again ? 'again' : 'wanted');
  return applyVerb('Choose', layer, {
    async *run(account, source) {
      const counts = { in: 0, chosen: 0, unnamed: 0, elsewhen: 0, again: 0 };
      const seen = new Set<string>();
      for await (const batch of source) {
        const indices: number[] = [];
        for (let i = 0; i < batch.length; i++) {
          counts.in++;
          const own =
            kind === 'tracks'
              ? tracks.get(`${batch.columns[file].text(i)}\0${batch.columns[track].number(i)}`)
              : isNamed(names, name < 0 ? null : batch.columns[name].text(i))
                ? 'wanted'
                : undefined;
          if (own === undefined) counts.unnamed++;
          else if (!onDay(batch, time, i, days)) counts.elsewhen++;
          else if (own === 'again' || (kind === 'waypoints' && comesAgain(batch, i, name, time, seen)))
            counts.again++;
          else indices.push(i);
        }
        counts.chosen += indices.length;
        if (indices.length === batch.length) yield batch;
        else if (indices.length > 0) yield batch.take(indices);
      }
      account.counts = { ...counts };
      const what = kind === 'tracks' ? 'points of tracks' : kind;
      const rest: Count[] = [[counts.chosen, 'chosen']];
      if (counts.unnamed > 0) rest.push([counts.unnamed, 'of other names']);
      if (counts.elsewhen > 0) rest.push([counts.elsewhen, 'of other days']);
      if (counts.again > 0) rest.push([counts.again, 'that came in another file already']);
      closeAccount(account, [counts.in, `${what} in`], ...rest);
    },
  });
}

function onDay(batch: Batch, time: number, i: number, days: DayChoice | undefined): boolean {
  if (days === undefined) return true;
  const column = time < 0 ? undefined : batch.columns[time];
  return column?.type === 'timestamp' && isOnDay(days, column.number(i));
}

function comesAgain(batch: Batch, i: number, name: number, time: number, seen: Set<string>): boolean {
  const { xy, vertexStart, ringStart, partStart } = batch.geometry!;
  const v = vertexStart[ringStart[partStart[i]]];
  const key = `${name < 0 ? '' : batch.columns[name].text(i)}\0${time < 0 ? '' : batch.columns[time].text(i)}\0${xy[2 * v]}\0${xy[2 * v + 1]}`;
  if (seen.has(key)) return true;
  seen.add(key);
  return false;
}

/** Where each point was recorded, as fields: they stay when the layer goes into another CRS. And how far it may be off. */
function withPlaces(layer: Layer, rangeError: number): Layer {
  const column = (name: string) => fieldIndex(layer.schema, name);
  const [hdop, east, north] = ['hdop', 'error_east', 'error_north'].map(column);
  const known = hdop >= 0 || (east >= 0 && north >= 0);
  const fields: Field[] = [
    { name: 'longitude', type: 'real', title: 'Longitude as recorded', unit: 'degrees' },
    { name: 'latitude', type: 'real', title: 'Latitude as recorded', unit: 'degrees' },
    { name: 'elevation', type: 'real', title: 'Elevation as recorded', unit: 'm' },
  ];
  if (known)
    fields.push({
      name: 'accuracy',
      type: 'real',
      title: 'Horizontal accuracy',
      unit: 'm',
      description: `from the standard errors that the receiver told, else dilution × ${rangeError} m`,
    });
  const added = fields.filter(({ name }) => column(name) < 0);
  return {
    ...layer,
    schema: [...layer.schema, ...added],
    async *batches(options) {
      for await (const batch of layer.batches(options)) {
        const values = new Map<string, ColumnBuilder>(
          added.map(({ name }) => [name, new ColumnBuilder('real')]),
        );
        const put = (name: string, value: number) => {
          const builder = values.get(name);
          if (builder === undefined) return;
          if (Number.isNaN(value)) builder.null();
          else builder.number(value);
        };
        const { xy, z, kind, vertexStart, ringStart, partStart } = batch.geometry!;
        for (let i = 0; i < batch.length; i++) {
          const v = kind[i] === Kind.Point ? vertexStart[ringStart[partStart[i]]] : -1;
          put('longitude', v < 0 ? Number.NaN : xy[2 * v]);
          put('latitude', v < 0 ? Number.NaN : xy[2 * v + 1]);
          put('elevation', v < 0 || z === null ? Number.NaN : z[v]);
          put('accuracy', accuracyOf(batch, i, hdop, east, north, rangeError));
        }
        yield batch.with({
          columns: [...batch.columns, ...added.map(({ name }) => values.get(name)!.finish())],
        });
      }
    },
  };
}

function accuracyOf(
  batch: Batch,
  i: number,
  hdop: number,
  east: number,
  north: number,
  rangeError: number,
): number {
  if (east >= 0 && north >= 0) {
    const told = Math.hypot(batch.columns[east].number(i), batch.columns[north].number(i));
    if (!Number.isNaN(told)) return Number(told.toFixed(3));
  }
  const dilution = hdop < 0 ? Number.NaN : batch.columns[hdop].number(i);
  return Number((dilution * rangeError).toFixed(3));
}

/** Photos as points; those without a position have none yet. */
function photoLayer(name: string, files: readonly RecordFile[], { names, days }: RecordChoice): Layer {
  const account = openAccount('Choose', name);
  const findings: Finding[] = files.filter(({ photo }) => photo !== null).flatMap((file) => file.findings);
  return {
    name,
    schema: photoFields,
    crs: wgs84(),
    kinds: ['Point'],
    findings,
    accounts: [account],
    async *batches() {
      resetAccount(account);
      const maker = new BatchMaker(photoFields);
      const counts = { in: 0, chosen: 0, other: 0, placed: 0 };
      for (const { photo, path } of files) {
        if (photo === null) continue;
        counts.in++;
        const own = fileName(path);
        if (!isNamed(names, own) || (days !== undefined && !isOnDay(days, photo.time))) {
          counts.other++;
          continue;
        }
        counts.chosen++;
        if (!Number.isNaN(photo.lat)) counts.placed++;
        putPhoto(maker, own, photo);
        if (maker.full) yield* maker.take();
      }
      yield* maker.take(true);
      account.counts = { ...counts };
      closeAccount(
        account,
        [counts.in, 'photos in'],
        [counts.chosen, 'chosen'],
        [counts.placed, 'with a position of their own'],
        ...(counts.other > 0 ? [[counts.other, 'of other names or days'] as const] : []),
      );
    },
  };
}
