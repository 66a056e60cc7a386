import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  GeometryMaker,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  IsomericError,
} from '../../src/core/index.ts';
import { readWkb, WkbWriter } from '../../src/formats/index.ts';
import { anyGeometry } from '../support/arbitrary.ts';

function read(bytes: Uint8Array): GeometryObject | null {
  const builder = new GeometryMaker();
  readWkb(bytes, 0, builder, 'a test');
  return geometryObject(builder.finish(), 0);
}

const hex = (text: string) => Uint8Array.from(text.match(/../g)!.map((pair) => Number.parseInt(pair, 16)));
const f64 = (value: number, little = true) => {
  const view = new DataView(new ArrayBuffer(8));
  view.setFloat64(0, value, little);
  return [...new Uint8Array(view.buffer)].map((byte) => byte.toString(16).padStart(2, '0')).join('');
};

describe('well-known binary', () => {
  it('gives back any geometry', () => {
    const writer = new WkbWriter();
    fc.assert(
      fc.property(
        anyGeometry().filter((object) => object !== null),
        (object) => {
          const array = geometriesFrom([object]);
          expect(read(writer.write(array, 0).slice())).toEqual(object);
        },
      ),
      { numRuns: 400 },
    );
  });

  it('writes single-part geometry as its multi-part kind when asked', () => {
    const array = geometriesFrom([{ type: 'Point', coordinates: [1, 2] }]);
    expect(read(new WkbWriter().write(array, 0, 0, 4).slice())).toEqual({
      type: 'MultiPoint',
      coordinates: [[1, 2]],
    });
  });

  it('reads both byte orders, ISO and older codes for Z, M and SRID', () => {
    const xy = f64(1) + f64(2);
    expect(read(hex(`0101000000${xy}`))).toEqual({ type: 'Point', coordinates: [1, 2] });
    expect(read(hex(`0000000001${f64(1, false)}${f64(2, false)}`))).toEqual({
      type: 'Point',
      coordinates: [1, 2],
    });
    expect(read(hex(`01e9030000${xy}${f64(3)}`))).toEqual({ type: 'Point', coordinates: [1, 2, 3] });
    expect(read(hex(`0101000080${xy}${f64(3)}`))).toEqual({ type: 'Point', coordinates: [1, 2, 3] });
    expect(read(hex(`0101000020e6100000${xy}`))).toEqual({ type: 'Point', coordinates: [1, 2] });
    expect(read(hex(`01d1070000${xy}${f64(9)}`))).toEqual({ type: 'Point', coordinates: [1, 2] });
    expect(read(hex(`0101000000${f64(Number.NaN)}${f64(Number.NaN)}`))).toEqual({
      type: 'Point',
      coordinates: [],
    });
  });

  const bad: [string, string][] = [
    ['an unknown byte order', `0501000000${f64(1)}${f64(2)}`],
    ['an unknown type', `0163000000${f64(1)}`],
    ['more points than bytes', `0102000000ffffff7f${f64(1)}${f64(2)}`],
    ['an end in the middle', `0101000000${f64(1)}`],
    ['collections without end', '010700000001000000'.repeat(30)],
    ['a multi-part inside a multi-part', `0104000000010000000104000000010000000101000000${f64(1)}${f64(2)}`],
    ['nothing', ''],
  ];
  it.each(bad)('%s is an error of ours', (_, text) =>
    expect(() => read(hex(text || '00'))).toThrowError(IsomericError),
  );

  it('survives any bytes', () => {
    fc.assert(
      fc.property(
        fc.uint8Array({ minLength: 1, maxLength: 80 }),
        fc.integer({ min: 1, max: 7 }),
        (bytes, kind) => {
          const start = Uint8Array.from([1, kind, 0, 0, 0, ...bytes]);
          try {
            read(start);
          } catch (error) {
            expect(error).toBeInstanceOf(IsomericError);
          }
        },
      ),
      { numRuns: 3000 },
    );
  });
});
