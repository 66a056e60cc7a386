import type { CatalogueEntry, Way } from '../../core/catalogue/entry.ts';
import { breakdownsIn, levelsIn, yearsIn } from '../../core/catalogue/levels.ts';
import type { Box } from '../../core/geometry/geometry-array.ts';
import { GeometryMaker } from '../../core/geometry/geometry-maker.ts';
import { looksLikeWkt, readWktText } from '../../formats/geometry/wkt.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { linkAddress } from '../transfer/links.ts';
import { LdGraph, type LdNode } from './json-ld.ts';
import { type ListedSource, type Lister, pagesFrom } from './lister.ts';
import { holdingOf, withoutEmpty } from './records.ts';
import { boxIn, boxOfGeojson, dayIn, licenceName, yearsBetween } from './shapes.ts';
import { wayTo } from './ways.ts';

/** Catalogues in DCAT (W3C DCAT 3, DCAT-AP 3) as JSON-LD, in one document or on pages (W3C Hydra). */
export const dcatLister: Lister = {
  kind: 'dcat',
  probe: ({ at }) => at,
  list: (source, context) =>
    pagesFrom(source.at, source, context, async (url) => {
      const graph = new LdGraph(
        await askJson(source.name, url, context, 'application/ld+json, application/json'),
      );
      const datasets = [...graph.ofType('Dataset'), ...graph.ofType('DataService')];
      if (datasets.length === 0 && graph.ofType('Catalog').length === 0)
        throw failure(
          'source-garbled',
          { what: source.name, url },
          context,
          'the answer is no catalogue in DCAT.',
          'The address must be that of the catalogue as JSON-LD.',
        );
      return {
        entries: datasets.map((node) => entryOf(node, graph, url, source)),
        next: nextPage(graph, url, source, context),
      };
    }),
};

function nextPage(
  graph: LdGraph,
  url: string,
  source: ListedSource,
  context: TransferContext,
): string | null {
  for (const node of graph.nodes.values())
    for (const name of ['hydra:next', 'hydra:nextPage']) {
      const next = graph.linked(node, name)[0]?.id ?? graph.text(node, name);
      if (next !== undefined) return linkAddress(next, url, source.name, context);
    }
  return null;
}

/** The last part of an address or URN. */
function lastName(id: string): string {
  const ends = '/#:?';
  let end = id.length;
  while (end > 0 && ends.includes(id[end - 1])) end--;
  let begin = end;
  while (begin > 0 && !ends.includes(id[begin - 1])) begin--;
  return begin === end ? id : id.slice(begin, end);
}

/** What a node is called: its own words, else the last part of its address. */
function labelOf(graph: LdGraph, node: LdNode): string {
  for (const name of ['skos:prefLabel', 'rdfs:label', 'dct:title', 'foaf:name', 'dct:identifier']) {
    const text = graph.text(node, name);
    if (text !== undefined) return text;
  }
  const last = lastName(node.id);
  return last.replace(/[_-]+/g, ' ').toLowerCase();
}

/** A short name for paths and commands: the identifier, else the last part of the address. */
function idOf(graph: LdGraph, node: LdNode): string {
  const told = graph.text(node, 'dct:identifier');
  if (told !== undefined && !/^https?:/.test(told)) return told;
  const address = told ?? node.id;
  return lastName(address);
}

function boxOf(graph: LdGraph, node: LdNode): Box | undefined {
  for (const place of graph.linked(node, 'dct:spatial'))
    for (const name of ['dcat:bbox', 'locn:geometry', 'dcat:centroid'])
      for (const text of graph.texts(place, name)) {
        const box = boxOfText(text);
        if (box !== undefined) return box;
      }
  return undefined;
}

function boxOfText(text: string): Box | undefined {
  if (text.trimStart().startsWith('{'))
    try {
      return boxOfGeojson(JSON.parse(text));
    } catch {
      return undefined;
    }
  const bare = text.replace(/^<[^>]*>\s*/, '').replace(/^SRID=\d+;/i, '');
  if (!looksLikeWkt(bare)) return undefined;
  try {
    const maker = new GeometryMaker();
    readWktText(bare, maker, 'the place');
    return boxIn(maker.finish().box());
  } catch {
    // A place that cannot be read is one that is not said.
    return undefined;
  }
}

function yearsOf(graph: LdGraph, node: LdNode, texts: readonly string[]): string[] {
  for (const period of graph.linked(node, 'dct:temporal')) {
    const from = graph.text(period, 'dcat:startDate') ?? graph.text(period, 'schema:startDate');
    const to = graph.text(period, 'dcat:endDate') ?? graph.text(period, 'schema:endDate');
    const years = yearsBetween(from, to);
    if (years.length > 0) return years;
  }
  return [...new Set(texts.flatMap(yearsIn))].sort();
}

function waysOf(graph: LdGraph, node: LdNode, url: string): { ways: Way[]; licences: string[] } {
  const licences: string[] = [];
  const ways = graph.linked(node, 'dcat:distribution').map((distribution) => {
    const licence = graph.linked(distribution, 'dct:license')[0];
    if (licence !== undefined) licences.push(graph.text(licence, 'dct:title') ?? licence.id);
    const [service] = graph.linked(distribution, 'dcat:accessService');
    const download = graph.text(distribution, 'dcat:downloadURL');
    const told =
      download ?? graph.text(service, 'dcat:endpointURL') ?? graph.text(distribution, 'dcat:accessURL');
    const format = graph.linked(distribution, 'dct:format').map((each) => labelOf(graph, each))[0];
    const mediaType = graph
      .linked(distribution, 'dcat:mediaType')
      .map(({ id }) => id.replace(/^.*media-types\//, ''))[0];
    const standards = [
      ...graph.linked(distribution, 'dct:conformsTo'),
      ...graph.linked(service, 'dct:conformsTo'),
    ].map(({ id }) => id);
    if (told === undefined) return { format: format ?? 'unknown', dead: 'it has no address' };
    const bytes = Number(graph.text(distribution, 'dcat:byteSize'));
    const sha256 = checksumOf(graph, distribution);
    return wayTo({
      address: URL.canParse(told, url) ? new URL(told, url).toString() : told,
      mediaType,
      format,
      conformsTo: standards,
      download: download !== undefined,
      ...(Number.isFinite(bytes) && bytes > 0 ? { bytes } : {}),
      ...(sha256 === undefined ? {} : { sha256 }),
    });
  });
  return { ways, licences };
}

function checksumOf(graph: LdGraph, distribution: LdNode): string | undefined {
  for (const checksum of graph.linked(distribution, 'spdx:checksum')) {
    const value = graph.text(checksum, 'spdx:checksumValue')?.toLowerCase();
    if (value !== undefined && /^[0-9a-f]{64}$/.test(value)) return value;
  }
  return undefined;
}

function columnsOf(graph: LdGraph, node: LdNode): CatalogueEntry['columns'] {
  const schemas = graph.linked(node, 'csvw:tableSchema');
  const columns = schemas.flatMap((schema) =>
    graph.linked(schema, 'csvw:column').flatMap((column) => {
      const name = graph.text(column, 'csvw:name');
      const title =
        graph.text(column, 'csvw:title') ??
        graph.text(column, 'dct:title') ??
        graph.text(column, 'dct:description');
      return name === undefined ? [] : [{ name, ...(title === undefined ? {} : { title }) }];
    }),
  );
  return columns.length === 0 ? undefined : columns;
}

function entryOf(node: LdNode, graph: LdGraph, url: string, source: ListedSource): CatalogueEntry {
  const title = graph.text(node, 'dct:title') ?? idOf(graph, node);
  const keywords = graph.texts(node, 'dcat:keyword');
  const { ways: listed, licences } = waysOf(graph, node, url);
  const endpoint = graph.text(node, 'dcat:endpointURL');
  // A service stands in the catalogue by itself.
  const ways =
    endpoint === undefined
      ? listed
      : [
          ...listed,
          wayTo({ address: endpoint, conformsTo: graph.linked(node, 'dct:conformsTo').map(({ id }) => id) }),
        ];
  const licence = graph.linked(node, 'dct:license')[0];
  const [publisher] = graph.linked(node, 'dct:publisher');
  const [series] = [...graph.linked(node, 'dcat:inSeries'), ...graph.linked(node, 'dct:isVersionOf')];
  const told = licence === undefined ? licences[0] : (graph.text(licence, 'dct:title') ?? licence.id);
  return withoutEmpty({
    source: source.name,
    id: idOf(graph, node),
    title,
    holds: holdingOf(node.types.some((type) => /DataService$/.test(type)) ? 'service' : '', ways),
    description: graph.text(node, 'dct:description'),
    keywords,
    themes: graph.linked(node, 'dcat:theme').map((theme) => labelOf(graph, theme)),
    levels: levelsIn(`${title} , ${keywords.join(' , ')}`),
    years: yearsOf(graph, node, [title, ...keywords]),
    provider: publisher === undefined ? undefined : labelOf(graph, publisher),
    licence: licenceName(told) ?? source.licence,
    breakdowns: breakdownsIn(title),
    columns: columnsOf(graph, node),
    series: series === undefined ? undefined : lastName(series.id),
    updated: dayIn(graph.text(node, 'dct:modified')) ?? dayIn(graph.text(node, 'dct:issued')),
    box: boxOf(graph, node),
    ways,
    dead:
      ways.length === 0
        ? 'it names no way to get it'
        : ways.every((way) => way.dead !== undefined)
          ? ways[0].dead
          : undefined,
  });
}
