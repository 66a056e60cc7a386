import {
  boundReasons,
  type ColumnProfile,
  dateText,
  type Field,
  grouped,
  quantileShares,
  timestampText,
} from '../core/index.ts';
import { type Output, textTable } from './output.ts';

const heights = '▁▂▃▄▅▆▇█';

/** Counts as one line of bars; what occurs at all has the lowest one at least. */
export function bars(counts: readonly number[]): string {
  const most = Math.max(...counts, 1);
  return counts
    .map((count) => (count === 0 ? '·' : heights[Math.min(7, Math.floor((count / most) * 7.999))]))
    .join('');
}

/** A number as a person reads it: seven figures, dates as dates. */
export function figure(value: number, type: string): string {
  if (type === 'date') return dateText(Math.round(value));
  if (type === 'timestamp') return timestampText(Math.round(value));
  const short = Number(value.toPrecision(7));
  return Math.abs(short) >= 10_000 && Math.abs(short) < 1e15 ? grouped(short) : String(short);
}

/** `3`, or with reasons `1, 18 suppressed, 29 at least`: blanks without a mark first, when there are any. */
export function blankText(profile: ColumnProfile): string {
  const reasons = new Map<string, number>();
  for (const { reason, times } of profile.reasons) reasons.set(reason, (reasons.get(reason) ?? 0) + times);
  const plain = profile.blank - markedBlank(profile);
  const told = [...reasons].map(([reason, times]) => `${grouped(times)} ${reason}`);
  return (plain > 0 || told.length === 0 ? [grouped(plain), ...told] : told).join(', ');
}

/** Blanks that have a reason; bounds are no blanks. */
function markedBlank(profile: ColumnProfile): number {
  return profile.reasons
    .filter(({ reason }) => !boundReasons.has(reason))
    .reduce((all, { times }) => all + times, 0);
}

/** One line for a column: range and shape of numbers, values of the rest. */
export function valuesText(profile: ColumnProfile, examples: number): string {
  const { least, greatest, field } = profile;
  if (least !== null && greatest !== null) {
    if (least === greatest) return `${figure(least, field.type)} everywhere`;
    return `${figure(least, field.type)} to ${figure(greatest, field.type)}  ${bars(profile.histogram)}`;
  }
  return profile.values
    .slice(0, examples)
    .map(({ value }) => (value.length > 30 ? `${value.slice(0, 29)}…` : value))
    .join(', ');
}

/** All that is known of a column, over several lines. */
export function printProfile(output: Output, profile: ColumnProfile, mostValues = 12): void {
  const { colours } = output;
  const { field } = profile;
  const about = [field.title, field.unit === undefined ? undefined : `in ${field.unit}`, field.universe]
    .filter((part) => part !== undefined)
    .join(', ');
  output.line(
    `${colours.bold(colours.cyan(field.name))}  ${typeText(field)}${about === '' ? '' : `  ${about}`}`,
  );
  if (field.description !== undefined) output.line(colours.dim(`  ${field.description}`));
  output.line(
    `  ${grouped(profile.rows - profile.blank)} of ${grouped(profile.rows)} rows have a value, ${profile.distinct === null ? 'more than 10,000' : grouped(profile.distinct)} different`,
  );
  if (profile.reasons.length > 0)
    output.line(
      `  marked: ${profile.reasons.map(({ reason, mark, times }) => `${grouped(times)} ${reason} (${mark})`).join(', ')}${profile.blank > markedBlank(profile) ? `; ${grouped(profile.blank - markedBlank(profile))} blank without a mark` : ''}`,
    );
  if (profile.least !== null && profile.greatest !== null) {
    const one = (value: number) => figure(value, field.type);
    output.line(
      `  least ${one(profile.least)}, greatest ${one(profile.greatest)}${profile.mean === null ? '' : `, mean ${one(profile.mean)}`}`,
    );
    const words = quantileShares.map((share, k) => `${share * 100} %: ${one(profile.quantiles[k])}`);
    output.line(`  ${profile.exact ? '' : 'about '}${words.join('   ')}`);
    printHistogram(output, profile);
  }
  const repeated =
    profile.values.some(({ times }) => times > 1) || (profile.distinct ?? 99_999) <= mostValues;
  if (repeated && profile.values.length > 0) {
    if (profile.least !== null) output.line(output.colours.dim('  most frequent'));
    const shown = profile.values.slice(0, mostValues);
    const rows = shown.map(({ value, times }) => [value, grouped(times), field.codes?.[value] ?? '']);
    const [, ...lines] = textTable(['', '', ''], rows, [false, true, false], 50);
    for (const line of lines) output.line(`  ${line}`);
    const left = profile.values.length - shown.length;
    if (left > 0)
      output.line(
        colours.dim(`  … and ${grouped(left)} more values${profile.distinct === null ? ' at least' : ''}`),
      );
  }
}

/** A bar a line, each with where it begins and how many values lie in it. */
function printHistogram(output: Output, profile: ColumnProfile): void {
  const { least, greatest, histogram, field } = profile;
  if (least === null || greatest === null || least === greatest) return;
  const most = Math.max(...histogram);
  const step = (greatest - least) / histogram.length;
  const labels = histogram.map((_, k) => figure(roundTo(least + k * step, step), field.type));
  const width = Math.max(...labels.map((label) => label.length));
  histogram.forEach((count, k) => {
    const bar = '█'.repeat(Math.round((count / most) * 40)) || (count > 0 ? '▏' : '');
    output.line(
      `  ${labels[k].padStart(width)} ${output.colours.cyan(bar)} ${count === 0 ? '' : grouped(count)}`.trimEnd(),
    );
  });
}

/** As many figures as the step between bars needs. */
function roundTo(value: number, step: number): number {
  const unit = 10 ** (Math.floor(Math.log10(step)) - 1);
  return Number((Math.round(value / unit) * unit).toPrecision(12));
}

/** What a field is, in a word or two. */
export function typeText(field: Field): string {
  if (field.featureId !== undefined)
    return field.featureId === 'numbering' ? 'row number' : `id, ${field.type}`;
  return field.role === 'code' ? 'code' : field.type;
}
