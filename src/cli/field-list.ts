import { counted, grouped, listed } from '../core/account.ts';
import { dayOf } from '../core/field/days.ts';
import { runsOf } from '../core/field/names.ts';
import { dateText, timestampText } from '../core/table/time.ts';
import { namesOf, type RecordKind, trackName } from '../formats/field-record/choose.ts';
import type { RecordFile } from '../formats/field-record/files.ts';
import type { ListedTrack, RecordList } from '../formats/field-record/survey.ts';
import { type Output, textTable } from './output.ts';

/** Runs and days of one kind that are shown; of more there is only a count. */
const mostShown = 24;

const minute = (time: number) =>
  Number.isNaN(time) ? 'no time' : timestampText(time).slice(0, 16).replace('T', ' ');

/** 3241.7 → `3.24 km`, 812 → `812 m`. */
export function metresText(metres: number): string {
  return metres < 1000
    ? `${Math.round(metres)} m`
    : `${(metres / 1000).toFixed(metres < 100_000 ? 2 : 0)} km`;
}

/** How many things were recorded on each day, in words: `2024-06-14 (30)`. */
function daysOfTimes(times: readonly number[], ahead: number): string[] {
  const days = new Map<number, number>();
  for (const time of times) {
    if (Number.isNaN(time)) continue;
    const day = dayOf(time, ahead);
    days.set(day, (days.get(day) ?? 0) + 1);
  }
  return [...days].sort(([a], [b]) => a - b).map(([day, count]) => `${dateText(day)} (${grouped(count)})`);
}

function printNamed(
  output: Output,
  title: string,
  names: readonly string[],
  times: readonly number[],
  ahead: number,
): void {
  const { colours } = output;
  output.line();
  output.line(colours.bold(title));
  const runs = runsOf(names);
  for (const { words, count, missing } of runs.slice(0, mostShown)) {
    const holes =
      missing.length === 0
        ? ''
        : colours.yellow(
            `; ${listed(missing.slice(0, 8).map(String))}${missing.length > 8 ? ' and more' : ''} ${missing.length === 1 ? 'is' : 'are'} missing`,
          );
    output.line(`  ${colours.cyan(words)}${count === 1 ? '' : `  ${grouped(count)}`}${holes}`);
  }
  if (runs.length > mostShown) output.line(`  and ${grouped(runs.length - mostShown)} more`);
  const days = daysOfTimes(times, ahead);
  if (days.length > 0)
    output.line(
      `  on ${days.slice(0, mostShown).join(', ')}${days.length > mostShown ? ` and ${days.length - mostShown} more days` : ''}`,
    );
}

function printTracks(output: Output, tracks: readonly ListedTrack[], paths: readonly string[]): void {
  output.line();
  const again = tracks.filter((track) => track.again).length;
  output.line(
    output.colours.bold(
      `${counted(tracks.length - again, 'track', 'tracks')}${again === 0 ? '' : `, ${again === 1 ? 'one' : grouped(again)} of them a second time in another file`}`,
    ),
  );
  const rows = tracks
    .filter((track) => !track.again)
    .slice(0, 100)
    .map((track) => [
      `  ${trackName(track, paths[track.file])}`,
      minute(track.begin),
      Number.isNaN(track.end) ? '' : minute(track.end).slice(11),
      metresText(track.metres),
      grouped(track.points),
      grouped(track.segments),
      paths[track.file],
    ]);
  const right = [false, false, false, true, true, true, false];
  for (const line of textTable(
    ['  Name', 'Begin, UTC', 'End', 'Distance', 'Points', 'Segments', 'File'],
    rows,
    right,
  ))
    output.line(line);
}

/** Prints what a receiver holds, and how something of it is chosen. */
export function printRecordList(
  output: Output,
  source: string,
  files: readonly RecordFile[],
  list: RecordList,
  ahead: number,
): void {
  const paths = files.map(({ path }) => path);
  const bytes = files.reduce((sum, file) => sum + file.bytes, 0);
  output.line(`Receiver: ${counted(files.length, 'file', 'files')} with records, ${grouped(bytes)} bytes.`);
  if (list.waypoints.length > 0)
    printNamed(
      output,
      counted(list.waypoints.length, 'waypoint', 'waypoints'),
      namesOf('waypoints', list, paths),
      list.waypoints.map(({ time }) => time),
      ahead,
    );
  if (list.tracks.length > 0) printTracks(output, list.tracks, paths);
  if (list.routes.length > 0)
    printNamed(
      output,
      counted(list.routes.length, 'route', 'routes'),
      namesOf('routes', list, paths),
      [],
      ahead,
    );
  if (list.photos.length > 0) {
    const placed = list.photos.filter((photo) => photo.placed).length;
    printNamed(
      output,
      `${counted(list.photos.length, 'photo', 'photos')}, ${grouped(placed)} with a position`,
      namesOf('photos', list, paths),
      list.photos.map(({ time }) => time),
      ahead,
    );
  }
  const examples = (['waypoints', 'tracks', 'photos'] as RecordKind[]).flatMap((kind) => {
    const [first] =
      kind === 'tracks'
        ? namesOf(kind, list, paths)
        : runsOf(namesOf(kind, list, paths)).map(({ words }) => words);
    return first === undefined ? [] : [`--${kind} "${first}"`];
  });
  if (examples.length === 0) return;
  output.line();
  output.line(
    output.colours.dim(`Choose: isomeric field ${source} ${examples.slice(0, 2).join(' ')} --out field.gpkg`),
  );
}

/** The list as data, for machines. */
export function recordListView(files: readonly RecordFile[], list: RecordList) {
  const paths = files.map(({ path }) => path);
  const time = (value: number) => (Number.isNaN(value) ? null : timestampText(value));
  return {
    files: files.map(({ path, bytes }) => ({ path, bytes })),
    findings: files.flatMap(({ findings }) => findings),
    waypoints: list.waypoints.map((each) => ({ ...each, file: paths[each.file], time: time(each.time) })),
    tracks: list.tracks.map((each) => ({
      ...each,
      name: trackName(each, paths[each.file]),
      file: paths[each.file],
      begin: time(each.begin),
      end: time(each.end),
    })),
    routes: list.routes.map((each) => ({ ...each, file: paths[each.file] })),
    photos: list.photos.map((each) => ({ ...each, file: paths[each.file], time: time(each.time) })),
  };
}
