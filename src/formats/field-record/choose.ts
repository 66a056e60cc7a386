import { counted, grouped, listed } from '../../core/account.ts';
import { IsomericError } from '../../core/errors.ts';
import { type DayChoice, isOnDay, parseDays } from '../../core/field/days.ts';
import { isNamed, type NameChoice, parseNames, requireMet, unmetOf } from '../../core/field/names.ts';
import { fileName, type ListedTrack, type RecordList } from './survey.ts';

/** Kinds of things that a receiver keeps. */
export const recordKinds = ['waypoints', 'tracks', 'routes', 'photos'] as const;
/** One of them. */
export type RecordKind = (typeof recordKinds)[number];

/** What is chosen of a receiver: things of one kind by name, and by day. */
export interface RecordChoice {
  kind: RecordKind;
  names: NameChoice;
  days?: DayChoice;
}

const one: Readonly<Record<RecordKind, string>> = {
  waypoints: 'waypoint',
  tracks: 'track',
  routes: 'route',
  photos: 'photo',
};

/** What a track that has no name is called: its file, and its number there. */
export function trackName({ name, number }: ListedTrack, path: string): string {
  return name ?? `${fileName(path)} ${number}`;
}

/** Names of all things of a kind, as they are chosen by. */
export function namesOf(kind: RecordKind, list: RecordList, paths: readonly string[]): string[] {
  switch (kind) {
    case 'waypoints':
      return list.waypoints.flatMap(({ name }) => (name === null ? [] : [name]));
    case 'tracks':
      return list.tracks.map((track) => trackName(track, paths[track.file]));
    case 'routes':
      return list.routes.flatMap(({ name }) => (name === null ? [] : [name]));
    default:
      return list.photos.map(({ name }) => name);
  }
}

/**
 * Refuses a choice that meets nothing, and tells what of it is missing.
 *
 * @throws IsomericError `names-unmet`, `days-unmet`
 */
export function checkChoice(choice: RecordChoice, list: RecordList, paths: readonly string[]): string[] {
  const names = namesOf(choice.kind, list, paths);
  requireMet(choice.names, names, one[choice.kind]);
  const notes = unmetOf(choice.names, names).map(({ run, met, missing, missingCount }) => {
    const shown = listed(missing.slice(0, 6));
    const more = missingCount > 6 ? ` and ${grouped(missingCount - 6)} more` : '';
    return run.around === null
      ? `There is no ${one[choice.kind]} “${run.text}”.`
      : `${run.text}: ${grouped(met)} are there, ${counted(missingCount, 'is', 'are')} not: ${shown}${more}.`;
  });
  if (choice.days !== undefined && filesOf(choice, list, paths).size === 0)
    throw new IsomericError(
      'days-unmet',
      `No ${one[choice.kind]} that is chosen was recorded on the days that are asked for.`,
      {
        advice: 'List what the receiver holds: “isomeric field” with its address alone.',
        blame: 'usage',
      },
    );
  return notes;
}

/** Numbers of the files that hold something chosen. */
export function filesOf(choice: RecordChoice, list: RecordList, paths: readonly string[]): Set<number> {
  const { kind, names, days } = choice;
  const found = new Set<number>();
  const timely = (time: number) => days === undefined || isOnDay(days, time);
  if (kind === 'waypoints') {
    for (const { file, name, time } of list.waypoints)
      if (isNamed(names, name) && timely(time)) found.add(file);
  } else if (kind === 'tracks') {
    for (const track of list.tracks)
      if (!track.again && isNamed(names, trackName(track, paths[track.file])) && touches(track, days))
        found.add(track.file);
  } else if (kind === 'routes') {
    for (const { file, name } of list.routes) if (isNamed(names, name)) found.add(file);
  } else
    for (const { file, name, time } of list.photos) if (isNamed(names, name) && timely(time)) found.add(file);
  return found;
}

/** Does a track go on during one of the days? */
function touches({ begin, end }: ListedTrack, days: DayChoice | undefined): boolean {
  if (days === undefined) return true;
  if (Number.isNaN(begin)) return false;
  const dayLength = 86_400_000;
  return days.spans.some(
    ([from, to]) => end + days.ahead >= from * dayLength && begin + days.ahead < (to + 1) * dayLength,
  );
}

/** What is wanted of a receiver, as it is written. */
export interface WrittenChoice extends Partial<Record<RecordKind, string | readonly string[]>> {
  days?: string | readonly string[];
  zone?: string;
}

/**
 * The choice that is written; null where nothing is chosen: the whole receiver is never taken unasked.
 *
 * @throws IsomericError `name-run`, `day-unclear`, `zone-unclear`
 */
export function choiceFrom(written: WrittenChoice): RecordChoice | null {
  const kind = recordKinds.find((each) => written[each] !== undefined);
  if (kind === undefined) return null;
  return {
    kind,
    names: parseNames(written[kind]!),
    days: written.days === undefined ? undefined : parseDays(written.days, written.zone),
  };
}
