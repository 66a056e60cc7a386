import { IsomericError } from '../errors.ts';
import { parseDate } from '../table/time.ts';

const dayLength = 86_400_000;

/** Days that are chosen: from the first to the last of each, in a zone. */
export interface DayChoice {
  /** Days since 1970-01-01, both ends belong to it. */
  spans: readonly (readonly [from: number, to: number])[];
  /** Milliseconds that the zone is ahead of UTC. */
  ahead: number;
}

/** `+02:00`, `-0130`, `Z` → milliseconds ahead of UTC; NaN where it is no offset. */
export function zoneAhead(text: string): number {
  if (/^(Z|UTC)$/i.test(text.trim())) return 0;
  const found = /^([+-])(\d{2}):?(\d{2})$/.exec(text.trim());
  if (found === null || Number(found[2]) > 14 || Number(found[3]) > 59) return Number.NaN;
  return (found[1] === '-' ? -1 : 1) * (Number(found[2]) * 60 + Number(found[3])) * 60_000;
}

/**
 * Days as they are written: `2024-06-14`, `2024-06-14 to 2024-06-16`, several of them; days of UTC unless a zone is given.
 *
 * @throws IsomericError `day-unclear`, `zone-unclear`
 */
export function parseDays(written: string | readonly string[], zone?: string): DayChoice {
  const ahead = zone === undefined ? 0 : zoneAhead(zone);
  if (Number.isNaN(ahead))
    throw new IsomericError('zone-unclear', `“${zone}” is no zone.`, {
      advice: 'Write how far it is from UTC: “-02:00”.',
      blame: 'usage',
      wrong: zone,
    });
  const spans = [written].flat().map((text) => {
    const ends = text.split(' to ').map((end) => parseDate(end.trim()));
    const [from, to = from] = ends;
    if (ends.length > 2 || ends.some(Number.isNaN) || from > to)
      throw new IsomericError('day-unclear', `“${text}” is no day.`, {
        advice: 'Write “2024-06-14”, or “2024-06-14 to 2024-06-16”.',
        blame: 'usage',
        wrong: text,
      });
    return [from, to] as const;
  });
  return { spans, ahead };
}

/** The day of a time, in days since 1970-01-01; NaN where there is no time. */
export function dayOf(milliseconds: number, ahead = 0): number {
  return Math.floor((milliseconds + ahead) / dayLength);
}

/** Does a time lie on one of the days? */
export function isOnDay({ spans, ahead }: DayChoice, milliseconds: number): boolean {
  const day = dayOf(milliseconds, ahead);
  return spans.some(([from, to]) => day >= from && day <= to);
}
