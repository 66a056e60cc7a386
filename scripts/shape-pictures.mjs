// Draws docs/pictures/ anew from the demo data: before and after each verb that changes shapes. `npm run shape-pictures`.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { simplify as thinned } from '../dist/core/geometry/shape/simplify.js';
import { GeometryMaker, planarRuler } from '../dist/core/index.js';
import { areaPath, linePath } from '../dist/core/mapping/svg-paths.js';
import * as isomeric from '../dist/index.js';

const root = fileURLToPath(new URL('..', import.meta.url));
const target = process.argv[2] ?? join(root, 'docs', 'pictures');
mkdirSync(target, { recursive: true });
const data = join(root, 'demo', 'data');
const { areaOf, openLayer, prepare } = isomeric;

const grid = 'EPSG:32626';
const flats = "district IN ('T204','T205')";
const wards = await prepare(
  openLayer(join(data, 'boundary-office/wards-2024.geojson')),
  isomeric.where(flats),
  isomeric.reproject(grid),
);
/** Layers of the extract lie on the old national datum: its grid says how it lies to others. */
const extract = (layer) =>
  prepare(
    openLayer(join(data, 'map-extracts/teskaria-ombrey.zip'), {
      layer,
      crs: readFileSync(join(data, 'teskaria-grid.wkt'), 'utf8'),
    }),
    isomeric.reproject(grid),
  );
const halls = await extract('refuge_halls');
const roads = await extract('roads');
const near = await prepare(halls, isomeric.buffer({ distance: 1500 }), isomeric.dissolve());
const reach = areaOf(near);
const one = await prepare(wards, isomeric.where("code = '020401'"));

/** All geometries of a layer. */
async function shapes(given) {
  const layer = await given;
  const maker = new GeometryMaker();
  for await (const batch of layer.batches())
    for (let i = 0; i < batch.length; i++) maker.copy(batch.geometry, i);
  return maker.finish();
}

const [width, height, gap, top] = [300, 230, 20, 26];
const ink = '#22313a';

/** One layer of a panel: filled areas with their borders, lines, or points. */
function drawn(given, view, { fill = 'none', stroke = ink, wide = 1, dash, vertices = false }) {
  // What is finer than a third of a pixel only makes the file larger.
  const array = thinned(given, { by: 'distance', upTo: 0.35 / view.scale, ruler: planarRuler() }).geometry;
  const line = `stroke="${stroke}" stroke-width="${wide}" stroke-linejoin="round"${dash === undefined ? '' : ` stroke-dasharray="${dash}"`}`;
  const parts = [];
  const areas = areaPath(array, null, view);
  if (areas !== '') parts.push(`<path d="${areas}" fill="${fill}" fill-rule="evenodd" ${line}/>`);
  const lines = linePath(array, view);
  if (lines !== '') parts.push(`<path d="${lines}" fill="none" ${line}/>`);
  const seen = (x, y) => x > 0 && y > 0 && x < width && y < height;
  const places = [];
  const place = (v) => {
    const [x, y] = [view.x0 + view.scale * given.xy[2 * v], view.y0 - view.scale * given.xy[2 * v + 1]];
    if (seen(x, y)) places.push(`M${x.toFixed(1)} ${y.toFixed(1)}h0`);
  };
  for (let i = 0; i < given.length; i++)
    if (vertices || given.kind[i] === 1)
      for (let v = given.firstVertex(i); v < given.endVertex(i); v++) place(v);
  // Lines without length, whose round ends are dots.
  if (places.length > 0)
    parts.push(
      `<path d="${[...new Set(places)].join('')}" stroke="${stroke}" stroke-width="${2 * wide + 2}" stroke-linecap="round"/>`,
    );
  return parts.join('\n');
}

const before = { stroke: '#9aa5ab', wide: 1 };
const after = { fill: '#bfe0dc', stroke: '#0d6e6e', wide: 1.2 };
const tool = { stroke: '#c2571a', wide: 1.2, dash: '5 3' };
const dots = { stroke: '#c2571a', wide: 1 };

/** A sheet of panels; each shows layers, the last one on top, within the box of the first. */
async function sheet(file, title, panels, columns = 3) {
  const rows = Math.ceil(panels.length / columns);
  const wide = columns * (width + gap) + gap;
  const high = rows * (height + top + gap) + gap;
  const parts = [];
  /** What was drawn already, and its name: what stands in several panels is there once. */
  const known = new Map();
  const once = (text) => {
    const name = known.get(text);
    if (name !== undefined) return `<use href="#${name}"/>`;
    known.set(text, `${file}-s${known.size}`);
    return `<g id="${known.get(text)}">${text}</g>`;
  };
  for (const [k, { words, layers, box }] of panels.entries()) {
    const arrays = await Promise.all(layers.map(([layer]) => shapes(layer)));
    const [x0, y0, x1, y1] = box ?? (await shapes(layers[0][0])).box();
    const scale = Math.min((width - 16) / (x1 - x0), (height - 16) / (y1 - y0));
    const left = gap + (k % columns) * (width + gap);
    const upper = gap + Math.floor(k / columns) * (height + top + gap);
    const view = {
      scale,
      x0: width / 2 - (scale * (x0 + x1)) / 2,
      y0: height / 2 + (scale * (y0 + y1)) / 2,
    };
    const id = `${file}-${k}`;
    parts.push(
      `<g transform="translate(${left} ${upper})"><text x="0" y="14" font-size="13" fill="${ink}">${words}</text>`,
      `<clipPath id="${id}"><rect width="${width}" height="${height}"/></clipPath>`,
      `<g transform="translate(0 ${top})" clip-path="url(#${id})"><rect width="${width}" height="${height}" fill="#fbfaf6"/>`,
      ...arrays.map((array, n) => once(drawn(array, view, layers[n][1]))),
      '</g></g>',
    );
  }
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${wide} ${high}" width="${wide}" height="${high}" font-family="sans-serif" role="img" aria-label="${title}">
<title>${title}</title>
<rect width="${wide}" height="${high}" fill="#ffffff"/>
${parts.join('\n')}
</svg>
`;
  writeFileSync(join(target, `${file}.svg`), svg);
  console.log(`${file}.svg: ${panels.length} panels, ${svg.length.toLocaleString('en')} bytes.`);
}

const { buffer, cells, clip, dissolve, enclose, erase, intersect, mesh, patch, smooth, simplify, split } =
  isomeric;

await sheet('laid-over', 'Layers laid over each other', [
  {
    words: 'clip: wards to what lies near a refuge',
    layers: [
      [wards, before],
      [prepare(wards, clip(reach)), after],
      [near, tool],
    ],
  },
  {
    words: 'erase: the rest of them',
    layers: [
      [wards, before],
      [prepare(wards, erase(reach)), after],
      [near, tool],
    ],
  },
  {
    words: 'intersect: wards by the cells of a mesh',
    layers: [
      [wards, before],
      [prepare(wards, intersect(prepare(wards, mesh({ size: 3000 })))), after],
    ],
  },
  {
    words: 'dissolve: wards to districts',
    layers: [
      [wards, before],
      [prepare(wards, dissolve({}, { by: ['district'] })), after],
    ],
  },
  {
    words: 'split: wards along roads',
    layers: [
      [wards, before],
      [prepare(wards, split(roads)), after],
      [roads, { ...tool, wide: 0.8 }],
    ],
  },
  {
    words: 'patch: what lies near a refuge put in',
    layers: [
      [wards, before],
      [prepare(wards, patch(near)), after],
    ],
  },
]);

const bay = (await shapes(one)).box();
await sheet('shapes', 'Shapes made of features', [
  {
    words: 'buffer: rings of 500, 1,000 and 2,000 m',
    layers: [
      [wards, before],
      [prepare(halls, buffer({ rings: [500, 1000, 2000] })), { ...after, fill: 'rgba(13,110,110,0.15)' }],
      [halls, dots],
    ],
  },
  {
    words: 'buffer: 400 m inwards',
    layers: [
      [wards, before],
      [prepare(wards, buffer({ distance: 400, inwards: true })), after],
    ],
  },
  {
    words: 'cells: what is nearest to each refuge',
    layers: [
      [wards, before],
      [prepare(halls, cells(areaOf(wards))), after],
      [halls, dots],
    ],
  },
  {
    words: 'mesh: hexagons of 2,500 m',
    layers: [
      [wards, before],
      [prepare(wards, mesh({ size: 2500, shape: 'hexagon' })), { ...after, fill: 'none' }],
    ],
  },
  {
    words: 'enclose: circle, rectangle, inner circle',
    box: [bay[0] - 900, bay[1] - 900, bay[2] + 900, bay[3] + 900],
    layers: [
      [one, { ...before, fill: '#e7eceb' }],
      ...['circle', 'rectangle', 'inner circle'].map((figure) => [
        prepare(one, enclose(figure)),
        { ...after, fill: 'none' },
      ]),
    ],
  },
  {
    words: 'triangles between refuges',
    layers: [
      [wards, before],
      [prepare(halls, isomeric.triangles()), { ...after, fill: 'none' }],
      [halls, dots],
    ],
  },
]);

const middle = [bay[0] - 300, bay[1] - 300, bay[2] + 300, bay[3] + 300];
const old = { stroke: '#9aa5ab', wide: 1, vertices: true };
const made = { stroke: '#0d6e6e', wide: 1.4, vertices: true };
await sheet('vertices', 'Fewer, more, other vertices', [
  {
    words: 'simplify: within 250 m',
    box: middle,
    layers: [
      [wards, old],
      [prepare(wards, simplify({ within: 250 })), made],
    ],
  },
  {
    words: 'smooth: corners cut three times',
    box: middle,
    layers: [
      [prepare(wards, simplify({ within: 250 })), old],
      [prepare(wards, simplify({ within: 250 }), smooth({ rounds: 3 })), { ...made, wide: 0.8 }],
    ],
  },
  {
    words: 'densify: no edge over 200 m',
    box: middle,
    layers: [
      [wards, before],
      [prepare(wards, simplify({ within: 250 }), isomeric.densify(200)), { ...made, wide: 0.8 }],
    ],
  },
  {
    words: 'points: every 3,000 m along roads',
    layers: [
      [wards, before],
      [roads, { stroke: '#7d8f96', wide: 0.8 }],
      [prepare(roads, isomeric.points('along lines', { every: 3000 })), dots],
    ],
  },
  {
    words: 'borders: between two wards, each once',
    layers: [
      [wards, before],
      [prepare(wards, isomeric.borders(), isomeric.where('shared = TRUE')), { stroke: '#0d6e6e', wide: 1.6 }],
    ],
  },
  {
    words: 'polygons: all that roads enclose',
    layers: [
      [roads, before],
      [prepare(roads, isomeric.polygons()), after],
    ],
  },
]);
