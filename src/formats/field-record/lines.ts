import { counted } from '../../core/account.ts';
import { Kind } from '../../core/geometry/geometry-array.ts';
import type { Batch } from '../../core/layer/batch.ts';
import type { Layer } from '../../core/layer/layer.ts';
import { type Field, fieldIndex } from '../../core/table/schema.ts';
import { BatchMaker } from '../making/batch-maker.ts';
import type { RecordFile } from './files.ts';

/** What the receiver says of each track, by file and number: rows without geometry, of which there are few. */
async function tracksTold(
  files: readonly RecordFile[],
): Promise<Map<string, { batch: Batch; row: number; layer: Layer }>> {
  const told = new Map<string, { batch: Batch; row: number; layer: Layer }>();
  for (const { layers, path } of files) {
    const layer = layers.find(({ name }) => name === 'tracks');
    if (layer === undefined) continue;
    let number = 0;
    for await (const whole of layer.batches()) {
      const batch = whole.with({ geometry: null });
      for (let row = 0; row < batch.length; row++) told.set(`${path}\0${++number}`, { batch, row, layer });
    }
  }
  return told;
}

/** Fields that are worked out from the points, since only some of them may be chosen. */
const own: readonly Field[] = [
  { name: 'file', type: 'text', title: 'File of the receiver' },
  { name: 'track', type: 'integer', title: 'Number of the track' },
];
const after: readonly Field[] = [
  { name: 'begin', type: 'timestamp', title: 'Begin' },
  { name: 'end', type: 'timestamp', title: 'End' },
  { name: 'segments', type: 'integer', title: 'Segments' },
  { name: 'points', type: 'integer', title: 'Points' },
];

/** The chosen points of tracks as lines: one feature a track, its segments as parts. */
export function trackLines(points: Layer, files: readonly RecordFile[]): Layer {
  const column = (name: string) => fieldIndex(points.schema, name);
  const [file, track, segment, time] = [column('file'), column('track'), column('segment'), column('time')];
  const fields: Field[] = [...own];
  for (const { layers } of files)
    for (const field of layers.find(({ name }) => name === 'tracks')?.schema ?? [])
      if (![...fields, ...after].some(({ name }) => name === field.name))
        fields.push({ ...field, type: 'text' });
  fields.push(...after);
  return {
    ...points,
    schema: fields,
    kinds: ['MultiLineString'],
    count: undefined,
    async *batches(options) {
      const told = await tracksTold(files);
      const maker = new BatchMaker(fields);
      const { geometry } = maker;
      let short = 0;
      let now: {
        key: string;
        file: string;
        number: number;
        segment: number;
        segments: number;
        points: number;
        begin: number;
        end: number;
      } | null = null;
      let line: number[] = [];
      const endSegment = () => {
        if (line.length >= 6) {
          geometry.part();
          geometry.ring();
          for (let k = 0; k < line.length; k += 3) {
            geometry.vertex(line[k], line[k + 1]);
            if (!Number.isNaN(line[k + 2])) geometry.height(line[k + 2]);
          }
        } else if (line.length > 0) short++;
        line = [];
      };
      const endTrack = () => {
        if (now === null) return;
        endSegment();
        const row = told.get(now.key);
        const values: Record<string, string | number> = { ...now, track: now.number };
        fields.forEach(({ name, type }, c) => {
          const value = values[name];
          if (!after.some((each) => each.name === name) && !own.some((each) => each.name === name)) {
            const at = row === undefined ? -1 : fieldIndex(row.layer.schema, name);
            const text = at < 0 ? null : row!.batch.columns[at].text(row!.row);
            if (text === null) maker.columns[c].null();
            else maker.columns[c].text(text);
          } else if (type === 'text') maker.columns[c].text(String(value));
          else if (Number.isNaN(value)) maker.columns[c].null();
          else maker.columns[c].number(Number(value));
        });
        maker.end();
      };
      for await (const batch of points.batches(options)) {
        const { xy, z, vertexStart, ringStart, partStart } = batch.geometry!;
        for (let i = 0; i < batch.length; i++) {
          const path = batch.columns[file].text(i)!;
          const number = batch.columns[track].number(i);
          const key = `${path}\0${number}`;
          const at = batch.columns[segment].number(i);
          if (now === null || now.key !== key) {
            endTrack();
            geometry.feature(Kind.MultiLineString);
            now = {
              key,
              file: path,
              number,
              segment: at,
              segments: 1,
              points: 0,
              begin: Number.NaN,
              end: Number.NaN,
            };
          } else if (now.segment !== at) {
            endSegment();
            now.segment = at;
            now.segments++;
          }
          const v = vertexStart[ringStart[partStart[i]]];
          line.push(xy[2 * v], xy[2 * v + 1], z === null ? Number.NaN : z[v]);
          now.points++;
          const when = time < 0 ? Number.NaN : batch.columns[time].number(i);
          if (!Number.isNaN(when)) {
            if (Number.isNaN(now.begin)) now.begin = when;
            now.end = when;
          }
        }
        if (maker.full) yield* maker.take();
      }
      endTrack();
      yield* maker.take(true);
      const account = points.accounts[points.accounts.length - 1];
      if (short > 0)
        account.notes.push(
          `${counted(short, 'segment of one point is', 'segments of one point are')} no line; the points are among the points.`,
        );
    },
  };
}
