import { counted } from '../../account.ts';
import { areaWords, holdsPlace, reachOf } from '../../crs/area-of-use.ts';
import { type Crs, crsLabel, degreesFrame } from '../../crs/crs.ts';
import { type Transformer, transformer } from '../../crs/transformer.ts';
import type { Finding } from '../../findings.ts';
import { type Box, emptyBox, type GeometryArray, growBox } from '../../geometry/geometry-array.ts';
import type { Batch } from '../batch.ts';

/** What a definition has about it, as findings. */
export function remarkFindings(crs: Crs | null, layer?: string): Finding[] {
  return (crs?.remarks ?? []).map(({ code, words, repair }) => ({
    code,
    severity: 'warning',
    layer,
    words,
    repair,
  }));
}

/** Why coordinates most likely have no image: what they would have to be to make sense. */
export function likelyReason(source: Crs, x: number, y: number): string {
  if (source.kind === 'projected') {
    return Math.abs(x) <= 180 && Math.abs(y) <= 90
      ? 'they look like degrees, not like coordinates of that CRS'
      : 'it lies outside of what the projection can show';
  }
  const most = Math.PI / 2 / source.unit;
  if (Math.abs(x) <= most * 1.001 && Math.abs(y) > most && Math.abs(y) <= 2 * most)
    return 'longitude and latitude look exchanged';
  if (Math.abs(y) > most) return 'they look like metres or feet, not like degrees: its CRS is wrong';
  return 'it lies outside of what the projection can show';
}

/** Something that is told once, with a count and the first feature. */
class Told {
  count = 0;
  private first: { feature: string | number; at: [number, number] } | null = null;

  add(feature: string | number, x: number, y: number): void {
    this.count++;
    this.first ??= { feature, at: [x, y] };
  }

  finding(
    code: string,
    severity: Finding['severity'],
    layer: string,
    words: (at: [number, number]) => string,
    repair: string,
  ): Finding[] {
    if (this.first === null) return [];
    return [
      {
        code,
        severity,
        layer,
        feature: this.first.feature,
        at: this.first.at,
        words: words(this.first.at),
        repair,
      },
    ];
  }
}

/**
 * Looks at where features lie while they are brought to another CRS: outside of what it can show, of where it is meant for,
 * of where the shift between the datums holds. Each is told once.
 */
export class PlaceWatch {
  private readonly lost = new Told();
  private readonly far = new Told();
  private readonly beyondShift = new Map<string, Told>();
  private readonly toDegrees: Transformer | null;

  constructor(
    private readonly layer: string,
    private readonly source: Crs,
    private readonly target: Crs,
    private readonly through: Transformer,
  ) {
    const watched = target.area !== undefined || through.datum.areas.length > 0;
    this.toDegrees = watched ? transformer(source, degreesFrame(source)) : null;
  }

  /** That feature i has no image: its first vertex without one. */
  without(batch: Batch, i: number, x: number, y: number): void {
    this.lost.add(batch.id(i), x, y);
  }

  get lostCount(): number {
    return this.lost.count;
  }

  /** Where the features of a batch lie that have an image (not in `lost`); only those in the middle of whose boxes nothing is meant are counted. */
  see(batch: Batch, geometry: GeometryArray, lost: ReadonlySet<number>): void {
    if (this.toDegrees === null) return;
    const all = emptyBox();
    const one = emptyBox();
    for (let i = 0; i < geometry.length; i++) growBox(all, geometry.boxOf(i, one));
    if (!(all[0] <= all[2])) return;
    const areas: [Readonly<Box>, Told][] = [];
    if (this.target.area !== undefined) areas.push([this.target.area, this.far]);
    for (const { name, area } of this.through.datum.areas) {
      let told = this.beyondShift.get(name);
      if (told === undefined) this.beyondShift.set(name, (told = new Told()));
      areas.push([area, told]);
    }
    for (const [area, told] of areas) {
      const reach = reachOf(area);
      if (this.cornersWithin(all, area, reach)) continue;
      for (let i = 0; i < geometry.length; i++) {
        geometry.boxOf(i, one);
        if (!(one[0] <= one[2]) || lost.has(i)) continue;
        const [x, y] = [(one[0] + one[2]) / 2, (one[1] + one[3]) / 2];
        const at = this.degrees(x, y);
        if (Number.isFinite(at[0]) && !holdsPlace(area, at[0], at[1], reach)) told.add(batch.id(i), x, y);
      }
    }
  }

  private degrees(x: number, y: number): Float64Array {
    const at = Float64Array.of(x, y);
    this.toDegrees!.transform(at);
    return at;
  }

  private cornersWithin(box: Box, area: Readonly<Box>, reach: number): boolean {
    return [0, 2].every((x) =>
      [1, 3].every((y) => {
        const at = this.degrees(box[x], box[y]);
        return holdsPlace(area, at[0], at[1], reach);
      }),
    );
  }

  findings(all: number): Finding[] {
    const target = crsLabel(this.target);
    return [
      ...this.lost.finding(
        'outside-projection',
        'error',
        this.layer,
        ([x, y]) =>
          `${counted(this.lost.count, 'feature', 'features')} of ${all.toLocaleString('en-GB')} ${this.lost.count === 1 ? 'has' : 'have'} a point without an image in ${target}, and no geometry there. Of the first, at ${plain(x)}, ${plain(y)}: ${likelyReason(this.source, x, y)}.`,
        'say the CRS that the coordinates have (isomeric locate), or clip the layer to the study area first',
      ),
      ...this.far.finding(
        'outside-area-of-use',
        'warning',
        this.layer,
        () =>
          `${counted(this.far.count, 'feature', 'features')} of ${all.toLocaleString('en-GB')} ${this.far.count === 1 ? 'lies' : 'lie'} far outside of where ${target} is meant for (${areaWords(this.target.area!)}); lengths and areas there are wrong.`,
        'choose a CRS for the area (isomeric crs --for LAYER)',
      ),
      ...[...this.beyondShift].flatMap(([name, told]) =>
        told.finding(
          'outside-shift-area',
          'warning',
          this.layer,
          () =>
            `${counted(told.count, 'feature', 'features')} of ${all.toLocaleString('en-GB')} ${told.count === 1 ? 'lies' : 'lie'} outside of where the datum shift holds (${name}); the accuracy stated does not apply there.`,
          'name a grid of shifts, or state the shift for the place in the CRS text',
        ),
      ),
    ];
  }
}

const plain = (value: number) => Number(value.toPrecision(8)).toString();
