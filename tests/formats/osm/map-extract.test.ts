import { execFileSync } from 'node:child_process';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { ExtractObjects } from '../../../demo/country/extract/objects.ts';
import { blobBytes, headerBlob, osmPbf, pbfBlobs } from '../../../demo/country/extract/write-pbf.ts';
import { osmXml } from '../../../demo/country/extract/write-xml.ts';
import { openExtract, openSource, sourceFromBytes, tagStatistics } from '../../../src/formats/index.ts';
import { openPath } from '../../../src/node/index.ts';
import {
  Drawing,
  featuresOf,
  type Position,
  pbfExtract,
  taken,
  xmlExtract,
} from '../../support/extract-made.ts';

const context = { around: null, path: 'x', capabilities: {} };
const utf8 = (text: string) => new TextEncoder().encode(text);

/** A small place: a school as a point, a road with a gap, a wood of two ways with a pond, a house. */
function smallPlace(): ExtractObjects {
  const drawing = new Drawing();
  drawing.node([-29.995, 45.0051234], {
    amenity: 'school',
    name: 'Ölschule "Ost" & Kind',
    capacity: '1,200',
  });
  drawing.node([-29.99, 45.02], { created_by: 'nobody' });
  const [a, b, c, d]: Position[] = [
    [-30, 45],
    [-29.99, 45],
    [-29.99, 45.01],
    [-30, 45.01],
  ];
  const one = drawing.way([a, b, c]);
  const two = drawing.way([a, d, c]);
  const pond: Position[] = [
    [-29.998, 45.002],
    [-29.996, 45.002],
    [-29.996, 45.004],
    [-29.998, 45.004],
    [-29.998, 45.002],
  ];
  const hole = drawing.way(pond, { natural: 'water' });
  drawing.relation({ type: 'multipolygon', landuse: 'forest' }, [two, [hole, 'inner'], one]);
  drawing.way([a, b, c, d, a], { building: 'house', 'building:levels': '2', height: '7.5 m' });
  drawing.way([c, d], { highway: 'primary', maxspeed: '30 mph', lanes: 'two' });
  Object.assign(drawing.objects.nodes[0], {
    version: 3,
    time: Date.UTC(2024, 5, 30, 12, 5, 7),
    changeset: 41,
    editorId: 7,
    editor: 'tidewatch',
  });
  return drawing.objects;
}

describe('what stands in an extract', () => {
  test('objects become features with their tags, typed columns and the rest as JSON', async () => {
    const { features, account, counts } = await taken(await xmlExtract(smallPlace()), { editors: true });
    expect(features.places).toEqual([
      expect.objectContaining({
        feature: 'node/1',
        geometry: { type: 'Point', coordinates: [-29.995, 45.0051234] },
        object: 'node',
        id: 1,
        subclass: 'education',
        importance: 80,
        name: 'Ölschule "Ost" & Kind',
        capacity: 1200,
        version: 3,
        time: '2024-06-30T12:05:07Z',
        changeset: 41,
        editor_id: 7,
        editor: 'tidewatch',
        tags: null,
      }),
    ]);
    expect(features.land_use[0].geometry).toEqual({
      type: 'Polygon',
      coordinates: [
        [
          [-30, 45],
          [-29.99, 45],
          [-29.99, 45.01],
          [-30, 45.01],
          [-30, 45],
        ],
        [
          [-29.996, 45.002],
          [-29.998, 45.002],
          [-29.998, 45.004],
          [-29.996, 45.004],
          [-29.996, 45.002],
        ],
      ],
    });
    expect(features.buildings_areas[0]).toMatchObject({
      floors: 2,
      height: 7.5,
      subclass: 'dwelling',
      tags: null,
    });
    expect(features.roads[0]).toMatchObject({ maxspeed: 48.28032, lanes: null });
    // What is no number stays where it was, to the letter.
    expect(features.roads[0].tags).toEqual({ highway: 'primary', lanes: 'two' });
    expect(counts).toMatchObject({ nodes: 10, ways: 5, relations: 1, points: 1, lines: 1, areas: 3 });
    expect(account.sentence).toBe(
      'Take apart: 16 objects in (10 nodes, 5 ways, 1 relation); 1 point, 1 line and 3 areas out; 11 without tags of their own.',
    );
  });

  test('every object is accounted for', async () => {
    const { counts } = await taken(await pbfExtract(smallPlace()));
    const out = counts.points + counts.lines + counts.areas;
    const rest = counts.withoutTags + counts.unwanted + counts.inRelations + counts.shapeless + counts.broken;
    expect(out + rest).toBe(counts.nodes + counts.ways + counts.relations);
  });

  const objects = smallPlace();
  const forms: [string, Parameters<typeof osmPbf>[1]][] = [
    ['plain nodes', { plainNodes: true }],
    ['raw blobs', { raw: true }],
    ['blocks of two', { blockLimit: 2 }],
    ['fine granularity and offsets', { granularity: 10, latOffset: 450_000_000, lonOffset: -3_000_000_010 }],
    ['coarse offsets', { latOffset: 100, lonOffset: -700 }],
    ['no promise of order', { optional: [] }],
    ['positions with the ways', { locations: true, optional: ['LocationsOnWays'] }],
  ];
  test.each(forms)('PBF with %s gives what XML gives', async (_, options) => {
    const expected = await taken(await xmlExtract(objects), { editors: true });
    const read = await taken(await pbfExtract(objects, options), { editors: true });
    expect(read.features).toEqual(expected.features);
    expect(read.counts).toEqual(expected.counts);
  });

  test('positions with the ways suffice, where nodes are left out', async () => {
    const [header, , ...rest] = pbfBlobs(objects, { locations: true, optional: ['LocationsOnWays'] });
    const bytes = Uint8Array.from([header, ...rest].flatMap((blob) => [...blob]));
    const { places, ...others } = (await taken(await xmlExtract(objects))).features;
    expect(places).toHaveLength(1);
    expect((await taken(await openExtract(sourceFromBytes(bytes)))).features).toEqual(others);
  });

  test('packed with gzip and with bzip2, through the one way to open files', async () => {
    const xml = utf8(osmXml(objects));
    const packed = [gzipSync(xml), execFileSync('bzip2', ['-c'], { input: xml })];
    const expected = await taken(await xmlExtract(objects));
    for (const bytes of packed) {
      const extract = await openExtract(sourceFromBytes(new Uint8Array(bytes), 'made.osm.packed'));
      expect((await taken(extract)).features).toEqual(expected.features);
      const opened = await openSource(sourceFromBytes(new Uint8Array(bytes), 'made.osm.gz'), context);
      expect(opened.map(({ table, format }) => [table.name, format])).toEqual([
        ['points', 'osm-xml'],
        ['lines', 'osm-xml'],
        ['areas', 'osm-xml'],
      ]);
    }
  });

  test('opened like any file: three layers, all tags together', async () => {
    const opened = await openSource(sourceFromBytes(osmPbf(objects), 'made.osm.pbf'), context);
    const features = await featuresOf(opened.map(({ table }) => table as never));
    expect(features.points.map((row) => row.tags)).toEqual([{ amenity: 'school', capacity: '1,200' }]);
    expect(features.lines.map((row) => row.feature)).toEqual(['way/105']);
    expect(features.areas.map((row) => row.feature).sort()).toEqual(['relation/1001', 'way/103', 'way/104']);
  });

  test('the demo extract opens from disk', async () => {
    const opened = await openPath('demo/data/map-extracts/ombrey.osm.pbf');
    expect(opened.map(({ table }) => table.name)).toEqual(['points', 'lines', 'areas']);
  });
});

describe('the order of objects', () => {
  test('ways before their nodes, in XML and in PBF, give the same', async () => {
    const objects = smallPlace();
    const expected = await taken(await xmlExtract(objects));
    const turned = osmXml({ nodes: [], ways: objects.ways, relations: objects.relations })
      .replace('</osm>\n', '')
      .concat(osmXml({ nodes: objects.nodes, ways: [], relations: [] }).replace(/^[\s\S]*?<osm[^>]*>\n/, ''));
    const extract = await openExtract(sourceFromBytes(utf8(turned), 'turned.osm'));
    expect(await extract.nodesFirst()).toBe(false);
    expect((await taken(extract)).features).toEqual(expected.features);
    const blobs = [
      headerBlob({ optional: [] }),
      osmPbf({ ...objects, nodes: [] }, { optional: [] }).subarray(headerBlob({ optional: [] }).length),
      osmPbf({ nodes: objects.nodes, ways: [], relations: [] }, { optional: [] }).subarray(
        headerBlob({ optional: [] }).length,
      ),
    ];
    const pbf = await openExtract(
      sourceFromBytes(Uint8Array.from(blobs.flatMap((blob) => [...blob])), 'turned.pbf'),
    );
    expect((await taken(pbf)).features).toEqual(expected.features);
  });

  test('nodes in any order of ids', async () => {
    const objects = smallPlace();
    const expected = await taken(await xmlExtract(objects));
    const mixed = { ...objects, nodes: [...objects.nodes].reverse() };
    expect((await taken(await pbfExtract(mixed, { optional: [], blockLimit: 3 }))).features).toEqual(
      expected.features,
    );
    expect((await taken(await xmlExtract(mixed))).features).toEqual(expected.features);
  });

  test('a broken promise of order is told, not believed', async () => {
    const objects = smallPlace();
    const extract = await pbfExtract({ ...objects, nodes: [...objects.nodes].reverse() });
    await expect(taken(extract)).rejects.toMatchObject({ code: 'osm-order' });
  });

  test('of a sorted file, only the blobs that are wanted are unpacked', async () => {
    const drawing = new Drawing();
    for (let k = 0; k < 400; k++)
      drawing.node([k / 1000, 45], k % 100 === 0 ? { amenity: 'bench' } : undefined);
    for (let k = 0; k < 40; k++) drawing.wayOf([k + 1, k + 2], { highway: 'track' });
    const bytes = osmPbf(drawing.objects, { blockLimit: 10 });
    let unpacked = 0;
    const extract = await openExtract(sourceFromBytes(bytes), (packed, size) => {
      unpacked++;
      return new Uint8Array(execInflate(packed, size));
    });
    unpacked = 0;
    for await (const block of extract.blocks({ nodes: false, ways: true, relations: false }))
      expect(block.kind).toBe(1);
    // 44 blobs: four of ways, and a few that were tried to find where those begin.
    expect(unpacked).toBeLessThan(16);
  });
});

function execInflate(packed: Uint8Array, size: number): Uint8Array {
  const { inflateSync } = process.getBuiltinModule('node:zlib');
  const out = inflateSync(packed);
  expect(out.length).toBe(size);
  return out;
}

describe('what is refused, and why', () => {
  const objects = smallPlace();
  const refusal = async (bytes: Uint8Array) => {
    const extract = await openExtract(sourceFromBytes(bytes, 'x'));
    return taken(extract);
  };

  test('a feature that is required and not understood', async () => {
    await expect(refusal(osmPbf(objects, { required: ['OsmSchema-V0.6', 'Towers'] }))).rejects.toMatchObject({
      code: 'osm-feature',
      message: expect.stringContaining('“Towers”'),
    });
  });

  test('a history, by its header, by deleted objects, by two versions of one', async () => {
    await expect(refusal(osmPbf(objects, { required: ['HistoricalInformation'] }))).rejects.toMatchObject({
      code: 'osm-history',
    });
    const deleted = osmXml(objects).replace('<way id="101"', '<way id="101" visible="false"');
    await expect(refusal(utf8(deleted))).rejects.toMatchObject({ code: 'osm-history' });
    const twice = { ...objects, ways: [objects.ways[0], { ...objects.ways[0], version: 2 }] };
    await expect(refusal(osmPbf(twice))).rejects.toMatchObject({ code: 'osm-history' });
    await expect(refusal(utf8(osmXml(twice)))).rejects.toMatchObject({ code: 'osm-history' });
  });

  test('changes', async () => {
    const change = '<osmChange version="0.6"><modify><node id="1" lat="1" lon="2"/></modify></osmChange>';
    await expect(refusal(utf8(change))).rejects.toMatchObject({ code: 'osm-change' });
    const actions = '<osm version="0.6"><action type="create"><node id="1" lat="1" lon="2"/></action></osm>';
    await expect(refusal(utf8(actions))).rejects.toMatchObject({ code: 'osm-change' });
  });

  test('blobs in other packings, by name', async () => {
    // A blob with field 4 (LZMA): tag 0x22, length 3.
    const blob = Uint8Array.of(0x22, 3, 1, 2, 3);
    const header = blobBytes('OSMData', new Uint8Array(0), { raw: true });
    const head = header.slice(0, header.length - 2);
    // “datasize” is the last byte of the header.
    head[head.length - 1] = blob.length;
    const bytes = Uint8Array.from([...headerBlob(), ...head, ...blob]);
    await expect(refusal(bytes)).rejects.toMatchObject({
      code: 'osm-packing',
      message: expect.stringContaining('LZMA'),
    });
  });

  test('a file that is cut short, at every byte', async () => {
    const bytes = osmPbf(objects, { blockLimit: 4 });
    for (let end = 20; end < bytes.length; end += 7) {
      const error = await refusal(bytes.slice(0, end)).then(
        () => null,
        (failure) => failure,
      );
      // Between two blobs a cut cannot be seen.
      if (error !== null) expect(error).toMatchObject({ code: 'osm-damaged' });
    }
  });

  test('another file is no extract', async () => {
    await expect(
      openExtract(sourceFromBytes(utf8('{"type":"FeatureCollection"}'), 'x')),
    ).rejects.toMatchObject({
      code: 'extract-unknown',
    });
  });
});

describe('counts of tags', () => {
  test('by key, value and kind, the same from both formats', async () => {
    const objects = smallPlace();
    const [xml, pbf] = [
      await tagStatistics(await xmlExtract(objects)),
      await tagStatistics(await pbfExtract(objects)),
    ];
    expect(pbf).toEqual(xml);
    expect(xml.objects).toEqual({ node: 10, way: 5, relation: 1 });
    expect(xml.tagged).toEqual({ node: 2, way: 3, relation: 1 });
    expect(xml.keys.find(({ key }) => key === 'natural')).toEqual({
      key: 'natural',
      count: 1,
      kinds: { node: 0, way: 1, relation: 0 },
      values: 1,
      frequent: [{ value: 'water', count: 1, kinds: { node: 0, way: 1, relation: 0 } }],
    });
  });
});

describe('random extracts', () => {
  const text = fc
    .string({ unit: 'grapheme', minLength: 1, maxLength: 12 })
    .filter((each) => !/\p{C}/u.test(each));
  const tags = fc.dictionary(
    fc.oneof(fc.constantFrom('highway', 'building', 'name', 'area', 'landuse'), text),
    fc.oneof(fc.constantFrom('yes', 'no', 'residential'), text),
    {
      maxKeys: 4,
      noNullPrototype: true,
    },
  );
  const degrees = (most: number) =>
    fc.integer({ min: -most * 1e7, max: most * 1e7 }).map((each) => each / 1e7);
  const extract = fc.record({
    nodes: fc.uniqueArray(
      fc.record({
        id: fc.integer({ min: 1, max: 60 }),
        lon: degrees(180),
        lat: degrees(90),
        tags: fc.option(tags, { nil: undefined }),
      }),
      { selector: (node) => node.id, maxLength: 30 },
    ),
    ways: fc.uniqueArray(
      fc.record({
        id: fc.integer({ min: 1, max: 2 ** 40 }),
        nodes: fc.array(fc.integer({ min: 1, max: 60 }), { minLength: 1, maxLength: 8 }),
        tags: fc.option(tags, { nil: undefined }),
      }),
      { selector: (way) => way.id, maxLength: 12 },
    ),
  });

  test('XML and PBF give the same layers, findings and counts', async () => {
    await fc.assert(
      fc.asyncProperty(
        extract,
        fc.boolean(),
        fc.integer({ min: 1, max: 9 }),
        async (made, plainNodes, blockLimit) => {
          const byId = (a: { id: number }, b: { id: number }) => a.id - b.id;
          const objects: ExtractObjects = {
            nodes: [...made.nodes].sort(byId),
            ways: made.ways
              .map((way) => ({ ...way, nodes: way.id % 2 === 0 ? [...way.nodes, way.nodes[0]] : way.nodes }))
              .sort(byId),
            relations: [],
          };
          const xml = await taken(await xmlExtract(objects));
          const pbf = await taken(await pbfExtract(objects, { plainNodes, blockLimit }));
          expect(pbf.features).toEqual(xml.features);
          expect(pbf.counts).toEqual(xml.counts);
          expect(pbf.findings).toEqual(xml.findings);
          expect(pbf.unclassified).toEqual(xml.unclassified);
        },
      ),
      { numRuns: 60 },
    );
  });
});
