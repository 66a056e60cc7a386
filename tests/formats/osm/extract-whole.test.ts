import { describe, expect, test } from 'vitest';
import { osmXml } from '../../../demo/country/extract/write-xml.ts';
import { isLayer, type Layer } from '../../../src/core/index.ts';
import {
  oneObject,
  openExtract,
  openSource,
  parseObjectName,
  sourceFromBytes,
  takeApart,
  thematicScheme,
} from '../../../src/formats/index.ts';
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
const fromText = (text: string, name = 'x.osm') => openExtract(sourceFromBytes(utf8(text), name));
const square = (x: number, y: number, side: number): Position[] => [
  [x, y],
  [x + side, y],
  [x + side, y + side],
  [x, y + side],
  [x, y],
];

describe('one object', () => {
  function scene(): Drawing {
    const drawing = new Drawing();
    const outer = drawing.way(square(0, 0, 4));
    const inner = drawing.way(square(1, 1, 1), { natural: 'water' });
    drawing.relation({ type: 'multipolygon', landuse: 'forest', name: 'Wood' }, [
      outer,
      [inner, 'inner'],
      999,
    ]);
    drawing.node([9, 9], { amenity: 'school' });
    drawing.objects.relations[0].members.push({ kind: 'node', id: 11, role: 'label' });
    return drawing;
  }

  test('a relation: itself, its ways and nodes with roles and places, what is missing', async () => {
    for (const extract of [await xmlExtract(scene().objects), await pbfExtract(scene().objects)]) {
      const found = await oneObject(extract, parseObjectName('relation/1001'));
      const layers = await featuresOf(found.layers);
      expect(Object.keys(layers)).toEqual(['relation_1001', 'parts_lines']);
      expect(layers.relation_1001[0]).toMatchObject({
        name: 'Wood',
        tags: { type: 'multipolygon', landuse: 'forest' },
      });
      expect(layers.parts_lines.map((row) => [row.feature, row.id, row.place, row.role, row.tags])).toEqual([
        [1, 101, 1, 'outer', null],
        [2, 102, 2, 'inner', { natural: 'water' }],
      ]);
      expect(found.missing).toEqual(['way/999', 'node/11']);
      expect(found.members).toBe(4);
      expect(found.findings.map(({ code }) => code)).toEqual(['relation-incomplete']);
    }
  });

  test('a way: its nodes in order, and the relations that it is in', async () => {
    const found = await oneObject(await pbfExtract(scene().objects), parseObjectName('way 102'));
    const layers = await featuresOf(found.layers);
    expect(layers.way_102[0].geometry).toMatchObject({ type: 'Polygon' });
    expect(layers.parts_points.map((row) => row.place)).toEqual([1, 2, 3, 4, 5]);
    expect(found.memberOf).toEqual(['relation/1001']);
    expect(found.tags).toEqual({ natural: 'water' });
  });

  test('a node, and names that name nothing', async () => {
    const extract = await xmlExtract(scene().objects);
    const found = await oneObject(extract, parseObjectName('node/9'));
    expect((await featuresOf(found.layers)).node_9[0]).toMatchObject({
      geometry: { type: 'Point', coordinates: [9, 9] },
      tags: { amenity: 'school' },
    });
    await expect(oneObject(extract, parseObjectName('way/5'))).rejects.toMatchObject({
      code: 'object-missing',
    });
    for (const name of ['way', '12', 'ways/12', 'way/1.5', 'way/x'])
      expect(() => parseObjectName(name)).toThrow(/names no object/);
  });
});

describe('XML as it comes', () => {
  test('entities, single quotes, comments, notes, unknown elements and a box', async () => {
    const extract = await fromText(`<?xml version='1.0' encoding='UTF-8'?>
<!-- <relation id="5"> stands in a comment only -->
<osm version='0.6' generator='Hand &amp; pen' timestamp="2024-06-30T00:00:00Z">
  <note>Open Map Data of Teskaria</note>
  <meta osm_base="2024-07-01T00:00:00Z"/>
  <bounds minlat="45" minlon="-30" maxlat="46" maxlon="-29"/>
  <node id='1' lat='45.5' lon='-29.5' user='A &lt;b&gt; &#233;' uid='4' version='2'>
    <tag k='amenity' v='school'/><tag k='name' v="Ma&quot;r&quot;&#10;haven &#x1F3EB;"/>
    <unknown><tag k='no' v='no'/></unknown>
  </node>
  <way id="2"><nd ref="1"/><tag k="highway" v="track"/></way>
</osm>`);
    expect(extract.header).toEqual({
      sorted: false,
      writer: 'Hand & pen',
      time: '2024-07-01T00:00:00Z',
      box: [-30, 45, -29, 46],
    });
    const { features, findings, counts } = await taken(extract, { editors: true });
    expect(features.places[0]).toMatchObject({
      name: 'Ma"r"\nhaven 🏫',
      editor: 'A <b> é',
      editor_id: 4,
      changeset: null,
      version: 2,
      time: null,
    });
    // A way of one node is no line.
    expect(findings.map(({ code, feature }) => [code, feature])).toEqual([['way-empty', 'way/2']]);
    expect(counts).toMatchObject({ nodes: 1, ways: 1, relations: 0, broken: 1 });
  });

  test('relations in comments are none, however the bytes come', async () => {
    const text = `<osm><!-- <relation id="1"> -- > <node id="8"/> --><node id="1" lat="1" lon="2"/><way id="2"><nd ref="1"/></way><!--<node--><relation id="3"><tag k="type" v="route"/></relation><!-- > --></osm>`;
    const bytes = utf8(text);
    for (let step = 1; step < 12; step++) {
      const extract = await openExtract({
        ...sourceFromBytes(bytes, 'x.osm'),
        async *stream() {
          for (let at = 0; at < bytes.length; at += step) yield bytes.subarray(at, at + step);
        },
      });
      const ids: number[] = [];
      for await (const block of extract.blocks({ nodes: false, ways: false, relations: true }))
        ids.push(...block.ids);
      expect(ids).toEqual([3]);
      expect(await extract.nodesFirst()).toBe(true);
    }
  });

  test('positions that are none, ids that are none', async () => {
    const { findings, features } = await taken(
      await fromText(
        '<osm><node id="1" lat="95" lon="0"><tag k="shop" v="bakery"/></node><node id="2"><tag k="shop" v="bakery"/></node><node id="3" lat="1e-7" lon="-0.0"><tag k="shop" v="bakery"/></node></osm>',
      ),
    );
    expect(findings.map(({ code, feature }) => [code, feature])).toEqual([
      ['node-without-place', 'node/1'],
      ['node-without-place', 'node/2'],
    ]);
    expect(features.places.map((row) => row.geometry)).toEqual([{ type: 'Point', coordinates: [-0, 1e-7] }]);
    await expect(taken(await fromText('<osm><node id="x" lat="1" lon="1"/></osm>'))).rejects.toMatchObject({
      code: 'osm-damaged',
    });
    await expect(taken(await fromText('<osm><node id="1" lat="1" lon="1">'))).rejects.toMatchObject({
      code: 'xml-damaged',
    });
  });

  test('an extract without anything is a reading without anything', async () => {
    const { layers, counts } = await taken(await fromText('<osm version="0.6"></osm>'));
    expect(layers).toEqual([]);
    expect(counts.nodes + counts.ways + counts.relations).toBe(0);
  });

  test('relations alone are found without parsing what stands before them', async () => {
    const drawing = new Drawing();
    for (let k = 0; k < 3000; k++) drawing.node([k / 100, 1]);
    drawing.relation({ type: 'route', route: 'bus' }, []);
    const text = osmXml(drawing.objects);
    const extract = await fromText(text);
    const kinds: number[] = [];
    for await (const block of extract.blocks({ nodes: false, ways: false, relations: true }))
      kinds.push(block.kind, block.length);
    expect(kinds).toEqual([2, 1]);
    // Damage before the first relation is not even seen by that reading.
    const damaged = await fromText(text.replace('<node id="1500"', '<node id=1500"'));
    for await (const block of damaged.blocks({ nodes: false, ways: false, relations: true }))
      expect(block.length).toBe(1);
    await expect(taken(damaged)).rejects.toMatchObject({ code: 'xml-damaged' });
  });
});

describe('boxes', () => {
  const drawing = new Drawing();
  drawing.way(square(0, 0, 10), { landuse: 'forest' });
  drawing.way(
    [
      [4, 20],
      [4, -20],
    ],
    { highway: 'track' },
  );
  drawing.node([5, 5], { shop: 'bakery' });
  drawing.node([50, 5], { shop: 'bakery' });

  test('what meets the box stays whole, also where none of its nodes lies in it', async () => {
    const { features, counts } = await taken(await pbfExtract(drawing.objects), { box: [3, 4, 6, 6] });
    expect(
      Object.fromEntries(
        Object.entries(features).map(([name, rows]) => [name, rows.map((row) => row.feature)]),
      ),
    ).toEqual({
      roads: ['way/102'],
      land_use: ['way/101'],
      places: ['node/7'],
    });
    expect(features.land_use[0].geometry).toMatchObject({ coordinates: [square(0, 0, 10)] });
    expect(counts.outside).toBe(1);
  });

  test('layers of the opened file are read by box too', async () => {
    const opened = await openSource(sourceFromBytes(utf8(osmXml(drawing.objects)), 'x.osm'), context);
    const [points] = opened.map(({ table }) => table as Layer);
    expect(isLayer(points)).toBe(true);
    let n = 0;
    for await (const batch of points.batches({ box: [40, 0, 60, 10] })) n += batch.length;
    expect(n).toBe(1);
  });
});

describe('several classes of one object', () => {
  test('it stands in each; the account says so; only chosen ones are made', async () => {
    const drawing = new Drawing();
    drawing.way(square(0, 0, 1), { building: 'school', amenity: 'school', name: 'Ost' });
    const extract = await xmlExtract(drawing.objects);
    const whole = await taken(extract);
    expect(Object.keys(whole.features).sort()).toEqual(['buildings_areas', 'land_use', 'places']);
    expect(whole.several).toBe(1);
    expect(whole.account.notes).toEqual(['1 object is of more than one class, and stands in each of them.']);
    const one = await taken(extract, { classes: ['places'] });
    expect(Object.keys(one.features)).toEqual(['places']);
    expect(one.unclassified).toEqual([]);
    expect(one.features.places[0].geometry).toMatchObject({ type: 'Point' });
    await expect(takeApart(extract, thematicScheme(), { classes: ['place'] })).rejects.toMatchObject({
      code: 'class-unknown',
    });
  });

  test('tags asked for become columns of every layer, beside those of the scheme', async () => {
    const drawing = new Drawing();
    drawing.node([0, 0], { shop: 'bakery', 'roof:colour': 'red', name: 'Brot' });
    const { features } = await taken(await xmlExtract(drawing.objects), {
      tags: [
        { name: 'roof_colour', tag: 'roof:colour', kind: 'text' },
        { name: 'name', tag: 'name', kind: 'text' },
      ],
    });
    expect(features.places[0]).toMatchObject({
      roof_colour: 'red',
      name: 'Brot',
      shop: 'bakery',
      tags: null,
    });
  });
});
