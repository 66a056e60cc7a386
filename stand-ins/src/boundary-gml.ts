import type { Feature } from './boundary-data.ts';

export const teskariaNamespace = 'http://boundaries.teskaria.example/2024';
export const gmlNamespaces = `xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:tb="${teskariaNamespace}"`;

export const xmlEscaped = (text: string) =>
  text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

function positions(ring: number[][], exchanged: boolean): string {
  return ring.map(([x, y]) => (exchanged ? `${y} ${x}` : `${x} ${y}`)).join(' ');
}

function polygon(rings: number[][][], id: string, srs: string, exchanged: boolean, old: boolean): string {
  const [shell, ...holes] = rings;
  const ring = (each: number[][]) =>
    `<gml:LinearRing><gml:posList>${positions(each, exchanged)}</gml:posList></gml:LinearRing>`;
  return (
    `<gml:Polygon ${old ? '' : `gml:id="${id}" `}srsName="${srs}"><gml:exterior>${ring(shell)}</gml:exterior>` +
    `${holes.map((hole) => `<gml:interior>${ring(hole)}</gml:interior>`).join('')}</gml:Polygon>`
  );
}

/** A feature in GML 3.2 (or 3.1.1 with `old`). */
export function featureGml(
  feature: Feature,
  level: string,
  srs: string,
  exchanged: boolean,
  old = false,
): string {
  const id = `${level}.${feature.id}`;
  const { type, coordinates } = feature.geometry;
  const polygons = (type === 'Polygon' ? [coordinates] : coordinates) as number[][][][];
  const members = polygons.map(
    (each, k) =>
      `<gml:surfaceMember>${polygon(each, `${id}.s${k}`, srs, exchanged, old)}</gml:surfaceMember>`,
  );
  const geometry = `<gml:MultiSurface ${old ? '' : `gml:id="${id}.g" `}srsName="${srs}">${members.join('')}</gml:MultiSurface>`;
  const properties = Object.entries(feature.properties)
    .filter(([, value]) => value !== null)
    .map(([name, value]) => `<tb:${name}>${xmlEscaped(String(value))}</tb:${name}>`)
    .join('');
  return `<tb:${level} gml:id="${id}"><tb:shape>${geometry}</tb:shape>${properties}</tb:${level}>`;
}
