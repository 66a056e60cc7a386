import { trueSize } from '../area/true-size.ts';
import { IsomericError } from '../errors.ts';
import { emptyBox, type GeometryArray } from '../geometry/geometry-array.ts';
import { GeometryMaker } from '../geometry/geometry-maker.ts';
import type { AreaIndex } from '../geometry/overlay/area-index.ts';
import { Clipped, clipFeature, settleByBox } from '../geometry/overlay/clipping.ts';
import type { MapSheet } from './scheme.ts';
import type { SheetScheme } from './sheet-scheme.ts';

/** A sheet that an area lies on. */
export interface TouchedSheet {
  sheet: MapSheet;
  /** How much of the sheet the area covers, 0 to 1, on the ellipsoid. */
  covered: number;
  /** How much of the area lies on it, 0 to 1. */
  held: number;
}

/** Sheets that are listed for one area, at most. */
const mostTouched = 100_000;

/**
 * The sheets of a level that an area lies on, from the north, then from the west; what only touches its border is none of them.
 *
 * @param area in the CRS of the scheme
 * @throws IsomericError `sheet-too-many`
 */
export function sheetsFor(scheme: SheetScheme, level: number, area: AreaIndex): TouchedSheet[] {
  const measure = trueSize(scheme.rules.crs, 5);
  const all = measure.area(area.geometry, 0);
  const found: TouchedSheet[] = [];
  const box = emptyBox();
  let looked = 0;
  for (const sheet of scheme.within(level, area.box)) {
    if (++looked > 10 * mostTouched || found.length >= mostTouched)
      throw new IsomericError(
        'sheet-too-many',
        `The area lies on more than ${mostTouched} sheets of the level ${scheme.levels[level].name}.`,
        { advice: 'Choose a coarser level.', blame: 'usage' },
      );
    const outline = scheme.footprint(sheet);
    outline.boxOf(0, box);
    const whole = measure.area(outline, 0);
    const fate = settleByBox(area, box);
    let piece = 0;
    if (fate === Clipped.Whole) piece = whole;
    else if (fate === Clipped.Undecided) {
      const maker = new GeometryMaker();
      const cut = clipFeature(outline, 0, box, area, maker);
      if (cut === Clipped.Whole) piece = whole;
      else if (cut !== Clipped.Outside) piece = areaOf(maker.finish(), measure);
    }
    if (piece > 0) found.push({ sheet, covered: Math.min(1, piece / whole), held: Math.min(1, piece / all) });
  }
  return found;
}

function areaOf(geometry: GeometryArray, measure: ReturnType<typeof trueSize>): number {
  let area = 0;
  for (let i = 0; i < geometry.length; i++) area += measure.area(geometry, i);
  return area;
}
