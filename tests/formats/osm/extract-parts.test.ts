import fc from 'fast-check';
import { PbfWriter } from 'pbf';
import { describe, expect, test } from 'vitest';
import { GeometryMaker } from '../../../src/core/geometry/geometry-maker.ts';
import { Growing } from '../../../src/core/growing.ts';
import {
  Batch,
  ColumnBuilder,
  type GeometryObject,
  geometriesFrom,
  geometryObject,
  textColumn,
} from '../../../src/core/index.ts';
import { BatchStore, StoreRoom } from '../../../src/formats/bytes/batch-store.ts';
import { SpillingScratch } from '../../../src/formats/bytes/spilling-scratch.ts';
import { FoundTroubles } from '../../../src/formats/osm/assembling/found.ts';
import { NodeStore } from '../../../src/formats/osm/assembling/node-store.ts';
import { meetsBox, writeArea, writeLine } from '../../../src/formats/osm/assembling/shaping.ts';
import { UnclassifiedTags } from '../../../src/formats/osm/classes/unclassified.ts';
import type { NodeBlock } from '../../../src/formats/osm/reading/primitives.ts';
import { MessageReader } from '../../../src/formats/osm/reading/protobuf.ts';
import {
  areaKeys,
  isSilent,
  isTelling,
  makesArea,
  onlyAreas,
  shapedRelations,
} from '../../../src/formats/osm/tags/conventions.ts';
import { KeptTexts, TagList } from '../../../src/formats/osm/tags/tag-list.ts';
import { MemoryScratch } from '../../../src/formats/writing/target.ts';

describe('messages of Protocol Buffers', () => {
  const written = (write: (pbf: PbfWriter) => void) => {
    const pbf = new PbfWriter();
    write(pbf);
    return pbf.finish();
  };

  test('the worked examples of the encoding guide', () => {
    // “Encoding”, base 128 varints: 150 is 96 01; a field 1 with it is 08 96 01.
    const reader = new MessageReader(Uint8Array.of(0x08, 0x96, 0x01));
    expect(reader.next()).toBe(true);
    expect([reader.field, reader.unsigned()]).toEqual([1, 150]);
    expect(reader.next()).toBe(false);
    // “testing” as field 2: 12 07 74 65 73 74 69 6e 67.
    const text = new MessageReader(Uint8Array.of(0x12, 7, 0x74, 0x65, 0x73, 0x74, 0x69, 0x6e, 0x67));
    text.next();
    expect(text.text()).toBe('testing');
    // Packed field 6 with 3, 270, 86942: 32 06 03 8E 02 9E A7 05.
    const packed = new MessageReader(Uint8Array.of(0x32, 6, 3, 0x8e, 0x02, 0x9e, 0xa7, 0x05));
    packed.next();
    const out = new Uint32Array(packed.packedCount());
    expect(packed.numbers(out)).toBe(3);
    expect([...out]).toEqual([3, 270, 86942]);
    // Zigzag: 0 → 0, −1 → 1, 1 → 2, −2 → 3, 2147483647 → 4294967294, −2147483648 → 4294967295.
    const zigzag = [
      [0, 0],
      [1, -1],
      [2, 1],
      [3, -2],
      [4294967294, 2147483647],
      [4294967295, -2147483648],
    ];
    for (const [encoded, value] of zigzag)
      expect(new MessageReader(written((pbf) => pbf.writeVarint(encoded))).signed()).toBe(value);
  });

  test('numbers that another program wrote, of any size', () => {
    const number = fc.oneof(
      fc.integer({ min: -300, max: 300 }),
      fc.integer(),
      fc.integer({ min: -(2 ** 52), max: 2 ** 52 }),
    );
    fc.assert(
      fc.property(fc.array(number, { maxLength: 40 }), (numbers) => {
        const plain = new MessageReader(
          written((pbf) => {
            for (const each of numbers) pbf.writeVarint(each);
          }),
        );
        expect(numbers.map(() => plain.unsigned())).toEqual(numbers);
        const signed = new MessageReader(
          written((pbf) => {
            for (const each of numbers) pbf.writeSVarint(each);
          }),
        );
        expect(numbers.map(() => signed.signed())).toEqual(numbers);
        if (numbers.length === 0) return;
        const small = numbers.map((each) => Math.trunc(each / 64));
        const sums = new MessageReader(written((pbf) => pbf.writePackedSVarint(9, small)));
        sums.next();
        const out = new Float64Array(sums.packedCount());
        expect(sums.sums(out)).toBe(small.length);
        let sum = 0;
        expect([...out]).toEqual(
          small.map((each) => {
            sum += each;
            return sum;
          }),
        );
      }),
      { numRuns: 300 },
    );
  });

  test('what is not known is passed over; what is cut or too large is an error', () => {
    const bytes = written((pbf) => {
      pbf.writeFloatField(1, 1.5);
      pbf.writeDoubleField(2, 2.5);
      pbf.writeStringField(3, 'passed over');
      pbf.writeVarintField(4, 77);
    });
    const reader = new MessageReader(bytes);
    while (reader.next() && reader.field !== 4) reader.skip();
    expect(reader.unsigned()).toBe(77);
    const errors = [
      Uint8Array.of(0x08),
      Uint8Array.of(0x08, 0x80),
      Uint8Array.of(0x12, 9, 1),
      Uint8Array.of(0x08, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0x7f),
      Uint8Array.of(0x08, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0x01),
      Uint8Array.of(0x00, 0),
      Uint8Array.of(0x0b, 0),
    ];
    for (const damaged of errors) {
      const own = new MessageReader(damaged);
      expect(() => {
        while (own.next()) {
          if (own.field === 1) own.unsigned();
          else own.skip();
        }
        // Group markers (wire type 3) are of no message here.
        own.skip();
      }).toThrow(/ends in the middle|beyond/);
    }
  });
});

describe('positions of nodes', () => {
  function blockOf(nodes: [id: number, lon: number, lat: number][], fine: boolean): NodeBlock {
    const unit = fine ? 1e9 : 1e7;
    const positions = (k: 1 | 2) => nodes.map((node) => Math.round(node[k] * unit));
    return {
      kind: 0,
      length: nodes.length,
      ids: Float64Array.from(nodes, ([id]) => id),
      lon: fine ? Float64Array.from(positions(1)) : Int32Array.from(positions(1)),
      lat: fine ? Float64Array.from(positions(2)) : Int32Array.from(positions(2)),
      unit,
      tagStart: new Uint32Array(nodes.length + 1),
      tags: new Uint32Array(0),
      texts: new KeptTexts(),
      info: () => {
        throw new Error('nobody asks');
      },
    };
  }

  const id = fc.oneof(
    fc.integer({ min: 1, max: 400 }),
    fc.integer({ min: 1, max: 2 ** 45 }),
    fc.integer({ min: -50, max: -1 }),
  );
  const degrees = (most: number, digits: number) =>
    fc.integer({ min: -most * 10 ** digits, max: most * 10 ** digits }).map((each) => each / 10 ** digits);
  const node = (digits: number) => fc.tuple(id, degrees(180, digits), degrees(90, digits));

  test('are what a Map says, sorted or not, in memory or outside, to seven or nine decimals', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(node(9), { maxLength: 30 }), { maxLength: 8 }),
        fc.boolean(),
        fc.boolean(),
        fc.boolean(),
        fc.array(id, { maxLength: 20 }),
        (blocks, sorted, outside, coarse, others) => {
          const seen = new Set<number>();
          let made = blocks.map((block) => block.filter(([own]) => !seen.has(own) && seen.add(own)));
          if (coarse)
            made = made.map((block) =>
              block.map(([own, lon, lat]) => [own, Number(lon.toFixed(7)) + 0, Number(lat.toFixed(7)) + 0]),
            );
          if (sorted) {
            const all = made.flat().sort((a, b) => a[0] - b[0]);
            made = made.map((block) => all.splice(0, block.length));
          }
          const store = new NodeStore(outside ? () => new MemoryScratch() : null, outside ? 0 : undefined);
          for (const block of made) store.add(blockOf(block, !coarse || block.length % 2 === 0));
          const known = new Map(made.flat().map(([own, lon, lat]) => [own, [lon, lat]]));
          expect(store.count).toBe(known.size);
          expect(store.outside).toBe(outside && known.size > 0);
          const refs = Float64Array.from([...others, ...known.keys(), ...others]);
          const xy = store.lookUp(refs);
          refs.forEach((ref, k) => {
            expect([xy[2 * k], xy[2 * k + 1]]).toEqual(known.get(ref) ?? [Number.NaN, Number.NaN]);
          });
        },
      ),
      { numRuns: 150 },
    );
  });

  test('nodes without a position are not there', () => {
    const block = blockOf(
      [
        [1, 2, 3],
        [2, 4, 5],
      ],
      true,
    );
    block.lon[0] = Number.NaN;
    const store = new NodeStore(null);
    store.add(block);
    expect([...store.lookUp(Float64Array.of(1, 2))]).toEqual([Number.NaN, Number.NaN, 4, 5]);
  });
});

describe('room outside memory', () => {
  test('a scratch that spills gives what was put in, before and after', () => {
    fc.assert(
      fc.property(
        fc.array(fc.uint8Array({ maxLength: 60 }), { maxLength: 30 }),
        fc.nat({ max: 300 }),
        (pieces, most) => {
          let lent = 0;
          const scratch = new SpillingScratch(() => {
            lent++;
            return new MemoryScratch();
          }, most);
          const places = pieces.map((piece) => scratch.append(piece));
          pieces.forEach((piece, k) => {
            expect([...scratch.read(places[k], places[k] + piece.length)]).toEqual([...piece]);
          });
          const total = pieces.reduce((sum, piece) => sum + piece.length, 0);
          expect(lent).toBe(total > most ? 1 : 0);
        },
      ),
    );
  });

  test('batches come back as they were, from memory and from outside', async () => {
    const numbers = new ColumnBuilder('integer');
    for (const value of [1, null, 3]) value === null ? numbers.null() : numbers.number(value);
    const objects: (GeometryObject | null)[] = [
      { type: 'Point', coordinates: [1, 2] },
      null,
      {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [3, 4],
        ],
      },
    ];
    const batch = new Batch({
      length: 3,
      first: 7,
      geometry: geometriesFrom(objects),
      columns: [numbers.finish(), textColumn(['a', 'a', null])],
      ids: textColumn(['node/1', 'node/2', 'way/3']),
    });
    for (const room of [new StoreRoom(null), new StoreRoom(() => new MemoryScratch(), 0)]) {
      const store = new BatchStore(room);
      store.add(batch);
      store.add(batch);
      expect(store.count).toBe(6);
      for (let round = 0; round < 2; round++) {
        let n = 0;
        for await (const read of store.read()) {
          n++;
          expect(read.first).toBe(7);
          expect([0, 1, 2].map((i) => read.id(i))).toEqual(['node/1', 'node/2', 'way/3']);
          expect([0, 1, 2].map((i) => geometryObject(read.geometry!, i))).toEqual(objects);
          expect([0, 1, 2].map((i) => read.columns.map((column) => column.value(i)))).toEqual([
            [1, 'a'],
            [null, 'a'],
            [3, null],
          ]);
        }
        expect(n).toBe(2);
      }
    }
  });

  test('growing arrays hold what a list holds', () => {
    fc.assert(
      fc.property(fc.array(fc.array(fc.integer({ min: 0, max: 1e9 }), { maxLength: 40 })), (lists) => {
        const growing = new Growing(new Uint32Array(0));
        for (const list of lists) list.length === 1 ? growing.push(list[0]) : growing.append(list);
        expect([...growing.copy()]).toEqual(lists.flat());
        expect(growing.length).toBe(lists.flat().length);
      }),
    );
  });
});

describe('tags', () => {
  function listOf(tags: Record<string, string>): TagList {
    const texts = new KeptTexts();
    const numbers = Object.entries(tags).flatMap(([key, value]) => [texts.number(key), texts.number(value)]);
    return new TagList().of(texts, Uint32Array.from(numbers)).at(0, numbers.length);
  }

  test('what says something, what makes an area', () => {
    expect(listOf({ created_by: 'x', source: 'survey', 'source:date': '2020' }).speaks).toBe(false);
    expect(listOf({ created_by: 'x', name: 'Y' }).speaks).toBe(true);
    expect(listOf({ name: 'Y' }).makesArea).toBe(false);
    expect(listOf({ building: 'no' }).makesArea).toBe(false);
    expect(listOf({ highway: 'footway', area: 'yes' }).makesArea).toBe(true);
    expect(listOf({ building: 'yes', area: 'no' }).makesArea).toBe(false);
  });

  test('JSON is what JSON.parse reads back, whatever the texts are', () => {
    fc.assert(
      fc.property(
        fc.dictionary(fc.string({ unit: 'grapheme', minLength: 1 }), fc.string({ unit: 'grapheme' }), {
          noNullPrototype: true,
          maxKeys: 6,
        }),
        fc.infiniteStream(fc.boolean()),
        (tags, drop) => {
          const kept = Object.keys(tags).map(() => (drop.next().value ? 1 : 0));
          const column = new ColumnBuilder('json');
          listOf(tags).putJson(column, Uint8Array.from(kept));
          const expected = Object.fromEntries(Object.entries(tags).filter((_, k) => kept[k] === 0));
          expect(column.finish().value(0)).toEqual(expected);
        },
      ),
    );
  });

  test('the table of conventions agrees with itself', () => {
    for (const key of onlyAreas) expect(areaKeys[key]).toEqual({ except: [] });
    for (const [key, values] of Object.entries(areaKeys)) {
      const named = 'only' in values ? values.only : values.except;
      for (const value of named) expect(makesArea(key, value)).toBe('only' in values);
      expect(makesArea(key, 'no')).toBe(false);
      expect(makesArea(key, 'a value that nobody uses')).toBe('except' in values);
    }
    expect(makesArea('constructor', 'x')).toBe(false);
    expect(Object.keys(shapedRelations)).not.toContain('restriction');
    expect([isSilent('note:de'), isSilent('source'), isSilent('name')]).toEqual([true, true, false]);
    expect(['name', 'addr:street', 'created_by', 'type', 'amenity'].map(isTelling)).toEqual([
      false,
      false,
      false,
      false,
      true,
    ]);
  });

  test('unclassified tags: by value where values recur, by key where they do not', () => {
    const tags = new UnclassifiedTags();
    for (let k = 0; k < 60; k++) tags.add(listOf({ gauge: 'staff', serial: `n${k}`, name: `N${k}` }), k % 2);
    tags.add(listOf({ gauge: 'float' }), 2);
    expect(tags.objects).toBe(61);
    expect(tags.list()).toEqual([
      { key: 'gauge', value: 'staff', count: 60, kinds: { node: 30, way: 30, relation: 0 } },
      { key: 'serial', value: '', count: 60, kinds: { node: 30, way: 30, relation: 0 } },
      { key: 'gauge', value: 'float', count: 1, kinds: { node: 0, way: 0, relation: 1 } },
    ]);
  });

  test('of very many troubles of a kind some are listed, the rest is counted', () => {
    const troubles = new FoundTroubles();
    for (let k = 0; k < 1234; k++)
      troubles.add('ring-open', 'error', `relation/${k}`, 'Its border is open.', [k, Number.NaN]);
    troubles.add('area-open', 'warning', 'way/1', 'It is no area.', [1, 2]);
    const list = troubles.list();
    expect(list).toHaveLength(202);
    expect(list[0]).toEqual({
      code: 'area-open',
      severity: 'warning',
      feature: 'way/1',
      words: 'It is no area.',
      at: [1, 2],
    });
    expect(list[1]).not.toHaveProperty('at');
    expect(list.at(-1)!.words).toBe('1,034 more of this kind are not listed one by one (1,234 in all).');
    expect(troubles.count('ring-open')).toBe(1234);
  });
});

describe('shapes of ways', () => {
  const shaped = (write: typeof writeLine, xy: number[]) => {
    const builder = new GeometryMaker();
    const shape = write(Float64Array.from(xy), 0, xy.length / 2, builder);
    const geometry = builder.features === 0 ? null : geometryObject(builder.finish(), 0);
    return { ...shape, geometry };
  };

  test('lines: nodes that repeat are passed over, gaps part them', () => {
    expect(shaped(writeLine, [0, 0, 0, 0, 1, 1])).toEqual({
      vertices: 2,
      missing: 0,
      geometry: {
        type: 'LineString',
        coordinates: [
          [0, 0],
          [1, 1],
        ],
      },
    });
    expect(shaped(writeLine, [0, 0, 0, 0]).geometry).toBeNull();
    expect(shaped(writeLine, [0, 0, Number.NaN, Number.NaN, 1, 1])).toEqual({
      vertices: 0,
      missing: 1,
      geometry: null,
    });
  });

  test('areas: counter-clockwise, never with a missing node, never without an inside', () => {
    const clockwise = [0, 0, 0, 1, 1, 1, 1, 0, 0, 0];
    expect(shaped(writeArea, clockwise).geometry).toEqual({
      type: 'Polygon',
      coordinates: [
        [
          [0, 0],
          [1, 0],
          [1, 1],
          [0, 1],
          [0, 0],
        ],
      ],
    });
    expect(shaped(writeArea, [0, 0, 1, 1, 2, 2, 0, 0]).geometry).toBeNull();
    expect(shaped(writeArea, [0, 0, Number.NaN, Number.NaN, 1, 1, 1, 0, 0, 0])).toMatchObject({
      vertices: 0,
      missing: 1,
    });
  });

  test('boxes that meet', () => {
    const builder = new GeometryMaker();
    writeLine(Float64Array.of(0, 0, 2, 1), 0, 2, builder);
    expect(meetsBox(builder, [1, 0, 3, 3])).toBe(true);
    expect(meetsBox(builder, [2, 1, 3, 3])).toBe(true);
    expect(meetsBox(builder, [2.1, 0, 3, 3])).toBe(false);
  });

  test('one builder added to another is what both hold', () => {
    const [a, b] = [new GeometryMaker(), new GeometryMaker()];
    writeArea(Float64Array.of(0, 0, 1, 0, 1, 1, 0, 0), 0, 4, a);
    writeLine(Float64Array.of(0, 0, 1, 0, Number.NaN, Number.NaN, 5, 5, 6, 6), 0, 5, b);
    expect(b.kindOf(0)).toBe(5);
    a.addAll(b);
    expect(a.features).toBe(2);
    const whole = a.finish();
    expect([0, 1].map((i) => geometryObject(whole, i)?.type)).toEqual(['Polygon', 'MultiLineString']);
  });
});
