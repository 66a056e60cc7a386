import { IsomericError } from '../errors.ts';
import { crsLabel, type GeographicCrs, sameDatumName, sameEllipsoid, sameShift } from './crs.ts';
import { datumKey } from './datum-names.ts';
import { datumStep, isZeroShift, meridianStep, type Step } from './datum-step.ts';
import type { GridShift } from './ntv2.ts';

/** What is done between two datums: the steps, and how it is told. */
export interface DatumPath {
  steps: Step[];
  /** A clause: what was used, and its accuracy. */
  words: string;
  /** Metres; NaN when a part of the way does not state it; 0 where nothing is done. */
  accuracy: number;
  /** Where the shifts used hold, degrees on either datum (they differ by less than a margin). */
  areas: { name: string; area: readonly [number, number, number, number] }[];
  /** Other ways that exist, in words. */
  alternatives: string[];
}

/** Metres to tell: whole ones from 1 on. */
const metres = (accuracy: number) =>
  Number.isNaN(accuracy)
    ? 'accuracy not stated'
    : `accuracy about ${accuracy < 1 ? Math.max(0.1, Math.round(accuracy * 10) / 10) : Math.round(accuracy)} m`;

const turnBetween = (a: GeographicCrs, b: GeographicCrs) =>
  ((a.primeMeridian - b.primeMeridian) * Math.PI) / 180;

const sameDatum = (a: GeographicCrs, b: GeographicCrs) =>
  sameDatumName(a.datum, b.datum) && sameEllipsoid(a.ellipsoid, b.ellipsoid);

/** Plans the way from one datum to another. Raises `datum-shift-unknown` when there is none. */
export function datumPath(a: GeographicCrs, b: GeographicCrs, grids: readonly GridShift[] = []): DatumPath {
  if (sameDatum(a, b)) {
    const turn = meridianStep(turnBetween(a, b));
    return {
      steps: turn === null ? [] : [turn],
      words: 'same datum',
      accuracy: 0,
      areas: [],
      alternatives: [],
    };
  }
  for (const grid of grids) {
    const path = gridPath(a, b, grid);
    if (path !== null) return path;
  }
  const unused = grids.map((grid) => `the grid ${grid.name} leads from ${grid.from} to ${grid.to}`);
  if (a.shift === null || b.shift === null) {
    const without = a.shift === null ? a : b;
    throw new IsomericError(
      'datum-shift-unknown',
      `No datum shift is known for ${crsLabel(without)} (datum ${without.datum}), so its coordinates cannot be brought to another datum.${unused.length > 0 ? ` Of what was given, ${unused.join('; ')}.` : ''}`,
      {
        advice:
          'Give the layer a CRS text with TOWGS84 from the authority of that datum, name a grid of shifts (--grid FILE.gsb; in a study “datum grids:”), or keep the layer in its own CRS.',
      },
    );
  }
  const accuracy = Math.hypot(a.shift.accuracy, b.shift.accuracy);
  const used = [a, b]
    .filter((crs) => crs.shift!.source !== 'WGS 84 itself')
    .map((crs) => `${crs.name}: ${crs.shift!.source}`);
  // A shift that is none holds as far as its frame does; others where they were found, or where their CRS is used.
  const areas = [a, b].flatMap((crs) => {
    const area = crs.shift!.area ?? (isZeroShift(crs.shift!) ? undefined : crs.area);
    return area === undefined ? [] : [{ name: `${crs.name}: ${crs.shift!.source}`, area }];
  });
  const alternatives = [a, b].flatMap((crs) =>
    (crs.shift!.accuracy > 1.5 || Number.isNaN(crs.shift!.accuracy)) &&
    !crs.shift!.source.startsWith('taken as zero')
      ? [`a grid of shifts (NTv2) for ${crs.name}, where its authority publishes one`]
      : [],
  );
  if (unused.length > 0) alternatives.push(...unused.map((words) => `${words}, and was not used`));
  if (sameShift(a.shift, b.shift) && sameEllipsoid(a.ellipsoid, b.ellipsoid)) {
    const turn = meridianStep(turnBetween(a, b));
    return {
      steps: turn === null ? [] : [turn],
      words: `no shift between them (${used.join('; ')}); ${metres(accuracy)}`,
      accuracy,
      areas,
      alternatives,
    };
  }
  return {
    steps: [datumStep(a, b)],
    words: `datum shift ${used.join('; ')}; ${metres(accuracy)}`,
    accuracy,
    areas,
    alternatives,
  };
}

/** Over a grid, one way or the other, and from its far side on by the shift of that datum. Null where it does not fit. */
function gridPath(a: GeographicCrs, b: GeographicCrs, grid: GridShift): DatumPath | null {
  const onAxes = (crs: GeographicCrs, [major, minor]: readonly [number, number]) =>
    Math.abs(crs.ellipsoid.a - major) < 0.02 &&
    Math.abs(crs.ellipsoid.a * (1 - crs.ellipsoid.f) - minor) < 0.02;
  const named = (crs: GeographicCrs, name: string) =>
    datumKey(name) !== '' && [datumKey(crs.datum), datumKey(crs.name)].includes(datumKey(name));
  const fits = (crs: GeographicCrs, axes: readonly [number, number], name: string, other: GeographicCrs) =>
    onAxes(crs, axes) && (named(crs, name) || !named(other, name));
  const modern = (crs: GeographicCrs) => crs.shift !== null && isZeroShift(crs.shift);
  for (const direction of [1, -1] as const) {
    const [near, far] = direction === 1 ? [a, b] : [b, a];
    if (!fits(near, grid.fromAxes, grid.from, far)) continue;
    // The other side must be the datum that the grid leads to, or one that agrees with it without a shift.
    if (!(onAxes(far, grid.toAxes) && (named(far, grid.to) || modern(far))) && !modern(far)) continue;
    const toGreenwich = meridianStep((a.primeMeridian * Math.PI) / 180);
    const fromGreenwich = meridianStep((-b.primeMeridian * Math.PI) / 180);
    const steps: Step[] = [];
    if (toGreenwich !== null) steps.push(toGreenwich);
    steps.push((xy, from, count) => grid.apply(xy, from, count, direction));
    if (fromGreenwich !== null) steps.push(fromGreenwich);
    const others = named(far, grid.to) ? [] : [`${far.name} taken as ${grid.to}`];
    return {
      steps,
      words: `grid ${grid.name} (${grid.from} to ${grid.to}${direction === -1 ? ', the way back' : ''})${others.map((each) => `, ${each}`).join('')}; ${metres(Math.hypot(Number.isNaN(grid.accuracy) ? 0 : grid.accuracy, named(far, grid.to) ? 0 : (far.shift?.accuracy ?? 0)) || NaN)}`,
      accuracy: grid.accuracy,
      areas: [{ name: `grid ${grid.name}`, area: grid.area }],
      alternatives:
        near.shift === null
          ? []
          : [`without the grid, ${near.name}: ${near.shift.source} (${metres(near.shift.accuracy)})`],
    };
  }
  return null;
}
