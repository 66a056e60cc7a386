import type { CatalogueEntry, Way } from '../../core/catalogue/entry.ts';
import { withoutLastSlash } from '../../core/catalogue/entry.ts';
import { breakdownsIn, levelNamed, levelsIn, yearsIn } from '../../core/catalogue/levels.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { failure } from '../transfer/failures.ts';
import { bareAddress, linkAddress } from '../transfer/links.ts';
import { type ListedSource, type Lister, pagesFrom } from './lister.ts';
import {
  boxIn,
  boxOfGeojson,
  dayIn,
  languageText,
  licenceName,
  listIn,
  recordIn,
  recordsIn,
  textIn,
  yearsBetween,
} from './shapes.ts';
import { wayTo } from './ways.ts';

/** OGC API – Records, part 1 (OGC 20-004r1): records are features of catalogues, on pages that lead to each other. */
export const recordsLister: Lister = {
  kind: 'records',
  probe: ({ at }) => at,
  async *list(source, context) {
    for (const items of await catalogues(source, context)) yield* recordsAt(items, source, context);
  },
};

const json = 'application/geo+json, application/json';

interface LinkLike {
  rel: string;
  href: string;
  type?: string;
  title?: string;
  record: Record<string, unknown>;
}

function linksOf(document: Record<string, unknown>): LinkLike[] {
  return listIn(document.links).flatMap((each) => {
    const link = recordIn(each);
    const href = textIn(link?.href);
    return link === undefined || href === undefined
      ? []
      : [
          {
            rel: textIn(link.rel) ?? '',
            href,
            type: textIn(link.type),
            title: languageText(link.title),
            record: link,
          },
        ];
  });
}

/** Addresses of the records of all catalogues: the address may be the landing page, a catalogue, or its records. */
async function catalogues(source: ListedSource, context: TransferContext): Promise<string[]> {
  const { at, name } = source;
  const first = recordIn(await askJson(name, at, context, json));
  if (Array.isArray(first?.features)) return [at];
  if (first === undefined) throw garbled(source, at, context);
  const own = itemsLink(first, at, name, context);
  if (own !== null) return [own];
  const data = linksOf(first).find(({ rel }) => /(^|\/)data$|ogc-catalog$/.test(rel));
  const list = linkAddress(data?.href ?? 'collections', at.endsWith('/') ? at : `${at}/`, name, context);
  const told = recordIn(await askJson(name, list, context, json));
  const found = listIn(told?.collections).flatMap((each) => {
    const collection = recordIn(each);
    if (collection === undefined) return [];
    // A service may have features besides; those are no records.
    const type = textIn(collection.itemType) ?? textIn(collection.type) ?? 'record';
    if (!/record|catalog/i.test(type)) return [];
    const items = itemsLink(collection, list, name, context);
    const id = textIn(collection.id);
    if (items !== null) return [items];
    return id === undefined ? [] : [`${withoutLastSlash(bareAddress(list))}/${percentEncoded(id)}/items`];
  });
  if (found.length === 0) throw garbled(source, at, context);
  return found;
}

function itemsLink(
  document: Record<string, unknown>,
  base: string,
  what: string,
  context: TransferContext,
): string | null {
  const links = linksOf(document).filter(({ rel }) => rel === 'items' || rel.endsWith('/items'));
  const best = links.find(({ type }) => type === undefined || /json/.test(type)) ?? links[0];
  return best === undefined ? null : linkAddress(best.href, base, what, context);
}

const garbled = (source: ListedSource, url: string, context: TransferContext) =>
  failure(
    'source-garbled',
    { what: source.name, url },
    context,
    'the answer is no catalogue of records.',
    'The address must be that of an OGC API – Records service, of one of its catalogues, or of the records.',
  );

function recordsAt(
  first: string,
  source: ListedSource,
  context: TransferContext,
): AsyncGenerator<CatalogueEntry> {
  return pagesFrom(first, source, context, async (url) => {
    const page = recordIn(await askJson(source.name, url, context, json));
    if (page === undefined || !Array.isArray(page.features)) throw garbled(source, url, context);
    if (typeof page.numberMatched === 'number') context.meter.totalFeatures = page.numberMatched;
    const next = linksOf(page).find(({ rel }) => rel === 'next');
    return {
      entries: page.features.map((feature) => entryOf(recordIn(feature), url, source, context)),
      next: next === undefined ? null : linkAddress(next.href, url, source.name, context),
    };
  });
}

/** Words of concepts, names of formats: a text, or an object that holds it under one of these keys. */
function wordsIn(value: unknown, ...keys: string[]): string[] {
  return listIn(value).flatMap((each) => {
    const text = languageText(each);
    const own = recordIn(each);
    if (own === undefined) return text === undefined ? [] : [text];
    for (const key of keys) {
      const found = languageText(own[key]);
      if (found !== undefined) return [found];
    }
    return [];
  });
}

function themesOf(value: unknown): string[] {
  return listIn(value).flatMap((each) => {
    const theme = recordIn(each);
    return theme === undefined ? wordsIn(each) : wordsIn(theme.concepts, 'title', 'name', 'id');
  });
}

function yearsOf(time: unknown, texts: readonly string[]): string[] {
  const told = recordIn(time);
  const interval = listIn(told?.interval);
  const years =
    interval.length > 0
      ? yearsBetween(interval[0], interval[1] === '..' ? undefined : interval[1])
      : yearsBetween(told?.date ?? told?.timestamp ?? (told === undefined ? time : undefined), undefined);
  return years.length > 0 ? years : [...new Set(texts.flatMap(yearsIn))].sort();
}

function columnsOf(value: unknown): CatalogueEntry['columns'] {
  const columns = listIn(value).flatMap((each) => {
    const own = recordIn(each);
    const name = textIn(own?.name) ?? textIn(own?.id);
    if (own === undefined || name === undefined) return [];
    const title = languageText(own.title) ?? languageText(own.description);
    const unit = textIn(own.unit);
    const universe = textIn(own.universe);
    return [
      {
        name,
        ...(title === undefined ? {} : { title }),
        ...(unit === undefined ? {} : { unit }),
        ...(universe === undefined ? {} : { universe }),
      },
    ];
  });
  return columns.length === 0 ? undefined : columns;
}

function entryOf(
  feature: Record<string, unknown> | undefined,
  url: string,
  source: ListedSource,
  context: TransferContext,
): CatalogueEntry | null {
  const told = recordIn(feature?.properties);
  const id = textIn(feature?.id) ?? textIn(told?.identifier) ?? textIn(told?.externalId);
  if (feature === undefined || told === undefined || id === undefined) return null;
  const title = languageText(told.title) ?? id;
  const description = languageText(told.description);
  const keywords = wordsIn(told.keywords, 'title', 'name', 'keyword');
  const formats = wordsIn(told.formats, 'name', 'mediaType');
  const ways = waysOf(feature, told, formats, url, source, context);
  const conformsTo = listIn(feature.conformsTo ?? told.conformsTo).flatMap((each) => textIn(each) ?? []);
  const provider = providerOf(told);
  const saidLevels = wordsIn(told.levels ?? told.geographicLevels).map(levelNamed);
  const levels =
    saidLevels.length > 0 ? [...new Set(saidLevels)] : levelsIn(`${title} , ${keywords.join(' , ')}`);
  const saidBreakdowns = wordsIn(told.breakdowns ?? told.dimensions, 'title', 'name', 'id').map((each) =>
    each.toLowerCase(),
  );
  const breakdowns = saidBreakdowns.length > 0 ? [...new Set(saidBreakdowns)] : breakdownsIn(title);
  const type = textIn(told.type) ?? '';
  const columns = columnsOf(told.columns ?? told.fields ?? told.variables);
  const box = boxIn(feature.bbox) ?? boxOfGeojson(feature.geometry);
  return withoutEmpty({
    source: source.name,
    id,
    title,
    holds: holdingOf(type, ways, conformsTo),
    description,
    keywords,
    themes: themesOf(told.themes),
    levels,
    years: yearsOf(feature.time ?? told.time, [title, ...keywords]),
    provider,
    licence:
      licenceName(textIn(told.license) ?? textIn(told.licence) ?? licenceLink(feature)) ?? source.licence,
    universe: languageText(told.universe),
    breakdowns,
    columns,
    series: textIn(told.series),
    updated: dayIn(told.updated) ?? dayIn(told.created),
    box,
    ways,
    dead:
      ways.length === 0
        ? 'it names no way to get it'
        : ways.every((way) => way.dead !== undefined)
          ? ways[0].dead
          : undefined,
  });
}

/** What is not said is left out. */
export function withoutEmpty(entry: CatalogueEntry): CatalogueEntry {
  return Object.fromEntries(
    Object.entries(entry).filter(
      ([name, value]) =>
        value !== undefined && (name === 'ways' || !Array.isArray(value) || value.length > 0),
    ),
  ) as unknown as CatalogueEntry;
}

function providerOf(told: Record<string, unknown>): string | undefined {
  const contacts = recordsIn(told.contacts ?? told.providers);
  const isPublisher = (roles: unknown) =>
    listIn(roles).some((role) =>
      /publisher|producer|owner|provider/i.test(textIn(role) ?? textIn(recordIn(role)?.name) ?? ''),
    );
  const best = contacts.find(({ roles, role }) => isPublisher(roles ?? role)) ?? contacts[0];
  return languageText(best?.organization) ?? languageText(best?.name) ?? languageText(told.publisher);
}

const licenceLink = (feature: Record<string, unknown>) => {
  const link = linksOf(feature).find(({ rel }) => rel === 'license');
  return link?.title ?? link?.href;
};

export function holdingOf(
  type: string,
  ways: readonly Way[],
  conformsTo: readonly string[] = [],
): CatalogueEntry['holds'] {
  const formats = ways.map(({ format }) => format).join(' ');
  if (/service/i.test(type) && ways.every(({ dataset }) => dataset === undefined)) return 'other';
  if (/map extract/.test(formats)) return 'extract';
  if (/geotiff|grid|coverage/i.test(`${formats} ${type}`)) return 'grid';
  if (
    /geojson|geopackage|shapefile|flatgeobuf|geoparquet|topojson|gml|kml|gpx|OGC API – Features|WFS/.test(
      formats,
    )
  )
    return 'layer';
  if (conformsTo.some((each) => /features/.test(each))) return 'layer';
  if (/csv|workbook|sdmx|json-stat|json|xml/i.test(formats)) return 'table';
  return 'other';
}

/** Links that lead to the thing itself, or to a service that has it. */
const dataRels =
  /^(enclosure|item|items|data|download|alternate|service|http:\/\/www\.opengis\.net\/def\/rel\/ogc\/1\.0\/(data|items))$/;

function waysOf(
  feature: Record<string, unknown>,
  told: Record<string, unknown>,
  formats: readonly string[],
  url: string,
  source: ListedSource,
  context: TransferContext,
): Way[] {
  const links = linksOf(feature).filter(
    ({ rel, type }) => dataRels.test(rel) && !(rel === 'alternate' && /geo\+json|html/.test(type ?? '')),
  );
  return links.map(({ rel, href, type, title, record }) => {
    let address: string;
    try {
      address = linkAddress(href, url, source.name, context);
    } catch {
      return {
        format: title ?? formats[0] ?? 'unknown',
        address: href,
        dead: 'its address is none that can be asked',
      };
    }
    const length = Number(record.length);
    const standards = [...listIn(record.conformsTo), ...listIn(told.conformsTo)].flatMap(
      (each) => textIn(each) ?? [],
    );
    return wayTo({
      address,
      mediaType: type,
      // The format of the record is that of the link, when there is one of each.
      format:
        textIn(record.format) ??
        textIn(record.protocol) ??
        (formats.length === 1 && links.length === 1 ? formats[0] : undefined),
      title,
      conformsTo: standards,
      rel,
      download: rel === 'enclosure' || rel === 'download',
      ...(Number.isFinite(length) && length > 0 ? { bytes: length } : {}),
    });
  });
}
