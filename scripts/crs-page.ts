/** Writes the measured part of docs/crs.md: methods with their truth and errors, and how many CRSs reach WGS 84. */
import { readFileSync, writeFileSync } from 'node:fs';
import {
  type Crs,
  crsByEpsg,
  crsByNumber,
  type GeographicCrs,
  geographicOf,
  methods,
  type ProjectedCrs,
  registryCodes,
  transformer,
} from '../src/core/index.ts';
import { degreesUnder } from '../tests/truth/frames.ts';
import { examples } from '../tests/truth/guidance-examples.ts';

const degree = Math.PI / 180;
const all = registryCodes().map((code) => crsByNumber(code)!);
const projected = all.filter((crs): crs is ProjectedCrs => crs.kind === 'projected');
const geographic = all.filter((crs): crs is GeographicCrs => crs.kind === 'geographic');

interface Sample {
  code: number;
  unit_to_metre: number;
  points: [number, number, number, number][];
}
const samples = (
  JSON.parse(readFileSync(new URL('../tests/truth/crs-sample.json', import.meta.url), 'utf8')) as {
    cases: Sample[];
  }
).cases;

const worst = new Map<string, number>();
const note = (map: Map<string, number>, key: string, value: number) =>
  map.set(key, Math.max(map.get(key) ?? 0, value));
const sampled = new Map<string, number>();
for (const { code, unit_to_metre, points } of samples) {
  const crs = crsByEpsg(code) as ProjectedCrs;
  const there = transformer(degreesUnder(crs), crs);
  note(sampled, crs.method, (sampled.get(crs.method) ?? 0) + 1);
  for (const [lon, lat, x, y] of points) {
    const xy = Float64Array.of(lon, lat);
    there.transform(xy);
    note(worst, crs.method, Math.hypot(xy[0] - x, xy[1] - y) * unit_to_metre);
  }
}
const exampled = new Set(examples.map(({ method }) => method));

let seed = 7;
const random = () => {
  seed = (seed * 1_103_515_245 + 12_345) % 2_147_483_648;
  return seed / 2_147_483_648;
};
const trips = new Map<string, number>();
const counts = new Map<string, number>();
for (const crs of projected) {
  counts.set(crs.method, (counts.get(crs.method) ?? 0) + 1);
  const there = transformer(degreesUnder(crs), crs);
  const back = transformer(crs, degreesUnder(crs));
  const [west, south, e, north] = crs.area ?? [-180, -90, 180, 90];
  const east = e < west ? e + 360 : e;
  for (let k = 0; k < 10; k++) {
    const lon = west + random() * (east - west);
    const lat = Math.max(-89.5, Math.min(89.5, south + random() * (north - south)));
    const xy = Float64Array.of(lon, lat);
    if (there.transform(xy) > 0 || back.transform(xy) > 0) continue;
    const turn = ((xy[0] - lon + 900) % 360) - 180;
    note(trips, crs.method, Math.hypot(turn * Math.cos(lat * degree), xy[1] - lat) * 111_320);
  }
}

const millimetres = (metres: number | undefined) =>
  metres === undefined ? '–' : metres * 1000 < 1e-3 ? '< 0.001' : (metres * 1000).toPrecision(2);
const truth = (name: string, keeps: string) =>
  [
    ...(sampled.has(name) ? [`${sampled.get(name)} × 40 digits`] : []),
    ...(exampled.has(name) ? ['worked example'] : []),
    ...(keeps === 'nothing' ? [] : [keeps === 'angles' ? 'keeps angles' : 'keeps areas']),
    'there and back',
  ].join(', ');
const rows = methods.map(
  ({ name, title, epsg, keeps }) =>
    `| ${title} | ${epsg ?? '–'} | ${counts.get(name) ?? 0} | ${truth(name, keeps)} | ${millimetres(worst.get(name))} | ${millimetres(trips.get(name))} |`,
);
const epsg = (list: readonly Crs[]) => list.filter((crs) => crs.code !== undefined);
const reaches = (crs: Crs) => geographicOf(crs).shift !== null;
const without = epsg(geographic).filter((crs) => !reaches(crs));
const figures = [
  `- ${projected.length.toLocaleString('en-GB')} projected CRSs are computed, with ${methods.length} methods; ${geographic.length} geographic ones are known.`,
  `- ${all.filter(reaches).length.toLocaleString('en-GB')} of these ${all.length.toLocaleString('en-GB')} reach WGS 84: ${epsg(projected).filter(reaches).length.toLocaleString('en-GB')} of ${epsg(projected).length.toLocaleString('en-GB')} projected and ${epsg(geographic).filter(reaches).length} of ${epsg(geographic).length} geographic EPSG codes, and ${all.filter((crs) => crs.code === undefined && reaches(crs)).length} of ${all.filter((crs) => crs.code === undefined).length} of another authority (of which many are on spheres and other planets).`,
];
const page = new URL('../docs/crs.md', import.meta.url);
const put = (text: string, name: string, lines: readonly string[]) =>
  text.replace(
    new RegExp(`(<!-- ${name} -->\n)[^]*?(<!-- end of ${name} -->)`),
    (_, head: string, end: string) => `${head}\n${lines.join('\n')}\n\n${end}`,
  );
let text = readFileSync(page, 'utf8');
text = put(text, 'figures', figures);
text = put(text, 'methods', [
  '| method | EPSG | CRSs | tested against | worst error, mm | there and back, mm |',
  '| ------ | ---- | ---- | -------------- | --------------- | ------------------ |',
  ...rows,
]);
text = put(text, 'without', [without.map((crs) => `${crs.code!.slice(5)} ${crs.name}`).join('; ')]);
writeFileSync(page, text);
console.log(figures.join('\n'));
