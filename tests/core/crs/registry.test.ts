import { describe, expect, it } from 'vitest';
import { curatedCodes, curatedShift } from '../../../src/core/crs/datum-shifts.ts';
import { completed } from '../../../src/core/crs/from-text.ts';
import { methodNamed } from '../../../src/core/crs/projections/register.ts';
import { crsByNumber, registryCodes } from '../../../src/core/crs/registry.ts';
import { transformer } from '../../../src/core/crs/transformer.ts';
import { crsFromWkt } from '../../../src/core/crs/wkt-crs.ts';
import { wktFromCrs } from '../../../src/core/crs/wkt-write.ts';
import { crsByEpsg, crsLabel, type ProjectedCrs, sameCrs } from '../../../src/core/index.ts';

const codes = registryCodes();
const projected = codes
  .map((code) => crsByNumber(code)!)
  .filter((crs): crs is ProjectedCrs => crs.kind === 'projected');

describe('every projected CRS of the registry', () => {
  it('is there in good number, each with a method that is computed', () => {
    expect(projected.length).toBeGreaterThan(5600);
    for (const crs of projected) expect(methodNamed(crs.method), crsLabel(crs)).toBeDefined();
  });

  it('brings the middle and the corners of its own area there and back', () => {
    const bad: string[] = [];
    for (const crs of projected) {
      if (crs.area === undefined) continue;
      const base = { ...crs.base, code: undefined, primeMeridian: 0, unit: Math.PI / 180 };
      const [west, south, east0, north] = crs.area;
      const east = east0 < west ? east0 + 360 : east0;
      // A whole-world area says nothing about where the projection is meant for.
      if (east - west > 60) continue;
      const there = transformer(base, crs);
      const back = transformer(crs, base);
      for (const [u, v] of [
        [0.5, 0.5],
        [0.02, 0.02],
        [0.98, 0.98],
      ]) {
        const lon = west + u * (east - west);
        const lat = Math.max(-89, Math.min(89, south + v * (north - south)));
        const xy = Float64Array.of(lon, lat);
        there.transform(xy);
        const image = [...xy];
        back.transform(xy);
        const off = Math.hypot(
          (((xy[0] - lon + 540) % 360) - 180) * Math.cos((lat * Math.PI) / 180),
          xy[1] - lat,
        );
        if (!(off < 1e-9)) bad.push(`${crsLabel(crs)} at ${lon}, ${lat}: ${image} → ${xy}`);
        // A grid of its own country: nobody's coordinates are on the other side of the earth.
        if (Math.max(...image.map(Math.abs)) * crs.unit > 7e7) bad.push(`${crsLabel(crs)}: ${image}`);
      }
    }
    expect(bad.slice(0, 5)).toEqual([]);
  });

  it('is recognised again from its own text without its code, at least as an equal one', () => {
    for (const crs of projected.filter((_, k) => k % 40 === 0)) {
      const text = wktFromCrs(crs).replace(/,AUTHORITY\["EPSG","\d+"\]/g, '');
      const again = completed(crsFromWkt(text));
      expect(sameCrs(again, crs), crsLabel(crs)).toBe(true);
      expect(again.code, crsLabel(crs)).toBe(crs.code);
    }
  });
});

describe('curated datum shifts', () => {
  it.each(curatedCodes())(
    '%s belongs to a geographic CRS or is told of one, has a source and sensible numbers',
    (code) => {
      const shift = curatedShift(code)!;
      expect(shift.source.length).toBeGreaterThan(8);
      expect(Math.hypot(shift.tx, shift.ty, shift.tz)).toBeLessThan(1500);
      expect(Math.max(Math.abs(shift.rx), Math.abs(shift.ry), Math.abs(shift.rz))).toBeLessThan(35);
      expect(Math.abs(shift.ppm)).toBeLessThan(30);
      expect(shift.accuracy).toBeGreaterThanOrEqual(0);
      const crs = crsByEpsg(code);
      if (crs?.kind === 'geographic') {
        expect(crs.shift).toEqual(shift);
        const xy = Float64Array.of(10, 50);
        transformer(crs, crsByEpsg(4326)!).transform(xy);
        // No datum in use is further off than this.
        expect(Math.hypot(xy[0] - 10, xy[1] - 50)).toBeLessThan(
          crs.primeMeridian === 0 && crs.unitName === 'degree' ? 0.05 : 60,
        );
      }
    },
  );
});
