import { wgs84 } from '../../core/crs/registry.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';
import { type Ruler, rulerFor } from '../../core/geometry/ruler.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { fieldIndex } from '../../core/table/schema.ts';
import type { RecordFile } from './files.ts';

/** A waypoint as it is listed. */
export interface ListedWaypoint {
  file: number;
  name: string | null;
  /** Milliseconds since 1970; NaN where it has no time. */
  time: number;
  lon: number;
  lat: number;
}

/** A track as it is listed. */
export interface ListedTrack {
  file: number;
  /** Its number in the file, from 1. */
  number: number;
  name: string | null;
  points: number;
  segments: number;
  begin: number;
  end: number;
  /** Along the ellipsoid, segment by segment. */
  metres: number;
  /** True: the same track came in a file before. */
  again: boolean;
}

/** A photo as it is listed. */
export interface ListedPhoto {
  file: number;
  name: string;
  time: number;
  placed: boolean;
}

/** A route as it is listed. */
export interface ListedRoute {
  file: number;
  name: string | null;
  points: number;
}

/** What a receiver holds. */
export interface RecordList {
  waypoints: ListedWaypoint[];
  tracks: ListedTrack[];
  routes: ListedRoute[];
  photos: ListedPhoto[];
}

/** Name of a file without its folders. */
export const fileName = (path: string) => path.slice(path.lastIndexOf('/') + 1);

/** Goes through all that the files of a receiver hold. */
export async function listRecord(files: readonly RecordFile[]): Promise<RecordList> {
  const list: RecordList = { waypoints: [], tracks: [], routes: [], photos: [] };
  const ruler = await rulerFor({ name: 'the record', crs: wgs84() });
  for (const [file, { layers, photo, path }] of files.entries()) {
    if (photo !== null)
      list.photos.push({ file, name: fileName(path), time: photo.time, placed: !Number.isNaN(photo.lat) });
    for (const layer of layers) {
      if (layer.name === 'waypoints') await listWaypoints(layer, file, list.waypoints);
      else if (layer.name === 'track_points') await listTracks(layer, file, ruler, list.tracks);
      else if (layer.name === 'routes') await listRoutes(layer, file, list.routes);
    }
  }
  markAgain(list.tracks);
  return list;
}

async function listWaypoints(layer: Layer, file: number, into: ListedWaypoint[]): Promise<void> {
  const name = fieldIndex(layer.schema, 'name');
  const time = fieldIndex(layer.schema, 'time');
  for await (const batch of layer.batches()) {
    const { kind, xy } = batch.geometry!;
    for (let i = 0; i < batch.length; i++) {
      if (kind[i] !== Kind.Point) continue;
      const v = firstVertex(batch, i);
      into.push({
        file,
        name: name < 0 ? null : batch.columns[name].text(i),
        time: timeAt(batch, time, i),
        lon: xy[2 * v],
        lat: xy[2 * v + 1],
      });
    }
  }
}

async function listRoutes(layer: Layer, file: number, into: ListedRoute[]): Promise<void> {
  const name = fieldIndex(layer.schema, 'name');
  const points = fieldIndex(layer.schema, 'points');
  for await (const batch of layer.batches())
    for (let i = 0; i < batch.length; i++)
      into.push({
        file,
        name: name < 0 ? null : batch.columns[name].text(i),
        points: points < 0 ? 0 : batch.columns[points].number(i),
      });
}

async function listTracks(layer: Layer, file: number, ruler: Ruler, into: ListedTrack[]): Promise<void> {
  const column = (name: string) => fieldIndex(layer.schema, name);
  const [number, name, segment, time] = ['track', 'track_name', 'segment', 'time'].map(column);
  let track: ListedTrack | null = null;
  let lastSegment = -1;
  let x = 0;
  let y = 0;
  for await (const batch of layer.batches()) {
    const { xy } = batch.geometry!;
    for (let i = 0; i < batch.length; i++) {
      const own = batch.columns[number].number(i);
      if (track === null || track.number !== own) {
        track = {
          file,
          number: own,
          name: name < 0 ? null : batch.columns[name].text(i),
          points: 0,
          segments: 0,
          begin: Number.NaN,
          end: Number.NaN,
          metres: 0,
          again: false,
        };
        into.push(track);
        lastSegment = -1;
      }
      const at = batch.columns[segment].number(i);
      const v = firstVertex(batch, i);
      if (at !== lastSegment) track.segments++;
      else track.metres += ruler.distance(x, y, xy[2 * v], xy[2 * v + 1]);
      lastSegment = at;
      x = xy[2 * v];
      y = xy[2 * v + 1];
      track.points++;
      const when = timeAt(batch, time, i);
      if (!Number.isNaN(when)) {
        if (Number.isNaN(track.begin)) track.begin = when;
        track.end = when;
      }
    }
  }
}

const firstVertex = ({ geometry }: Batch, i: number) =>
  geometry!.vertexStart[geometry!.ringStart[geometry!.partStart[i]]];

const timeAt = (batch: Batch, column: number, i: number) =>
  column < 0 || batch.columns[column].type !== 'timestamp' ? Number.NaN : batch.columns[column].number(i);

/** Receivers keep the track of the day and an archive of it: what comes again is one track. */
function markAgain(tracks: ListedTrack[]): void {
  const seen = new Map<string, number>();
  for (const track of tracks) {
    if (Number.isNaN(track.begin)) continue;
    const key = JSON.stringify([track.name, track.begin, track.end, track.points, Math.round(track.metres)]);
    const file = seen.get(key);
    if (file !== undefined && file !== track.file) track.again = true;
    else seen.set(key, track.file);
  }
}
