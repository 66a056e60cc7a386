import { type DescribedColumn, withoutLastSlash } from '../../core/catalogue/entry.ts';
import { breakdownsIn, levelNamed, levelsIn, yearsIn } from '../../core/catalogue/levels.ts';
import { IsomericError } from '../../core/errors.ts';
import { percentEncoded } from '../../core/percent-encoding.ts';
import { localName } from '../../formats/xml/read-xml.ts';
import type { Dimension } from '../choices.ts';
import { openService } from '../features/service.ts';
import { dimensionsOf, tableName, tablesOf } from '../json-stat/client.ts';
import { openDesk } from '../orders/process.ts';
import { pathOf, type Region, regions } from '../regions/client.ts';
import { dataflowsOf } from '../sdmx/client.ts';
import { askJson } from '../transfer/ask.ts';
import type { TransferContext } from '../transfer/context.ts';
import { bareAddress } from '../transfer/links.ts';
import { describeType, openWfs } from '../wfs/service.ts';
import { type ListedSource, type Lister, orderFor } from './lister.ts';
import { withoutEmpty } from './records.ts';
import {
  boxIn,
  dayIn,
  languageText,
  licenceName,
  listIn,
  recordIn,
  recordsIn,
  textIn,
  yearsBetween,
} from './shapes.ts';

/** Collections, types or tables whose columns are asked for one by one; of more, only what the list says. */
const mostDescribed = 300;
/** Values of a dimension that are listed. */
const mostValues = 60;

/** What all entries of a source have in common. */
function entryBase(
  source: ListedSource,
  id: string,
  title: string,
  dataset: Record<string, unknown>,
  format: string,
) {
  return {
    source: source.name,
    id,
    title,
    licence: source.licence,
    ways: [{ format, source: { kind: source.kind, at: source.at }, dataset }],
  };
}

/** Something that only a description would tell, and that none came for: the entry goes without. */
async function orNothing<T>(work: () => Promise<T>): Promise<T | undefined> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof IsomericError) return undefined;
    throw error;
  }
}

async function columnsOfCollection(
  list: string,
  id: string,
  what: string,
  context: TransferContext,
): Promise<DescribedColumn[] | undefined> {
  const own = `${withoutLastSlash(bareAddress(list))}/${percentEncoded(id)}`;
  const told = await orNothing(() =>
    askJson(what, `${own}/queryables`, context, 'application/schema+json, application/json'),
  );
  const properties = recordIn(recordIn(told)?.properties);
  if (properties === undefined) return undefined;
  return Object.entries(properties).flatMap(([name, value]) => {
    const property = recordIn(value);
    // Geometry is no column.
    if (property?.$ref !== undefined || /geometry/.test(textIn(property?.format) ?? '')) return [];
    const title = languageText(property?.title) ?? languageText(property?.description);
    return [{ name, ...(title === undefined || title === name ? {} : { title }) }];
  });
}

/** Collections of OGC API – Features (OGC 17-069r4). */
export const featuresLister: Lister = {
  kind: 'features',
  async *list(source, context) {
    const service = await openService(orderFor(source), context);
    const url = service.follow('data', 'collections');
    const told = recordsIn(recordIn(await askJson(source.name, url, context))?.collections);
    context.meter.totalFeatures = told.length;
    for (const [k, collection] of told.entries()) {
      const id = textIn(collection.id);
      if (id === undefined || /record|catalog/i.test(textIn(collection.itemType) ?? '')) continue;
      const extent = recordIn(collection.extent);
      const interval = listIn(listIn(recordIn(extent?.temporal)?.interval)[0]);
      const title = languageText(collection.title) ?? id;
      const keywords = listIn(collection.keywords).flatMap((each) => textIn(each) ?? []);
      const years = yearsBetween(interval[0], interval[1]);
      const licence = recordsIn(collection.links).find(({ rel }) => rel === 'license');
      const columns =
        k < mostDescribed ? await columnsOfCollection(url, id, source.name, context) : undefined;
      yield withoutEmpty({
        ...entryBase(source, id, title, { collection: id }, 'OGC API – Features'),
        holds: 'layer',
        description: languageText(collection.description),
        keywords,
        levels: levelsIn(`${title} , ${id} , ${keywords.join(' , ')}`),
        years: years.length > 0 ? years : yearsIn(`${title} ${id.replace(/[-_]/g, ' ')}`),
        provider: textIn(collection.attribution),
        licence: licenceName(languageText(licence?.title) ?? textIn(licence?.href)) ?? source.licence,
        box: boxIn(listIn(recordIn(extent?.spatial)?.bbox)[0]),
        columns,
      });
    }
  },
};

/** Feature types of a Web Feature Service. */
export const wfsLister: Lister = {
  kind: 'wfs',
  async *list(source, context) {
    const order = orderFor(source);
    const service = await openWfs(order, context);
    context.meter.totalFeatures = service.types.length;
    for (const [k, type] of service.types.entries()) {
      const id = localName(type.name);
      const title = type.title ?? id;
      const described =
        k < mostDescribed ? await orNothing(() => describeType(order, service, type, context)) : undefined;
      yield withoutEmpty({
        ...entryBase(source, id, title, { collection: type.name }, 'WFS'),
        holds: 'layer',
        description: type.abstract,
        keywords: type.keywords,
        levels: levelsIn(`${title} , ${id} , ${type.keywords.join(' , ')}`),
        years: yearsIn(`${title} ${id.replace(/[-_]/g, ' ')}`),
        provider: service.provider,
        licence: licenceName(service.licence) ?? source.licence,
        box: type.box,
        columns:
          described === undefined ? undefined : [...described.queryables.keys()].map((name) => ({ name })),
      });
    }
  },
};

/** Names of dimensions that say where or when, and break nothing down. */
const placeDimension =
  /^(ref_?area|geo(graphy)?|area|region|territor\w*|place)$|\b(geograph\w*|territor\w*|reference area)\b/i;
const otherDimension = /^(freq|time(_period)?|unit(_measure)?|obs_\w+|indicator|measure|decimals)$/i;

function tableFacts(title: string, dimensions: readonly Dimension[], time: string | null) {
  const place = dimensions.filter(({ id, name }) =>
    [id, name].some((each) => placeDimension.test(each.slice(0, 100))),
  );
  const others = dimensions.filter((dimension) => !place.includes(dimension) && dimension.id !== time);
  const broken = others
    .filter(({ id }) => !otherDimension.test(id))
    .map(({ name, id }) => (name || id).toLowerCase());
  const levels = [
    ...levelsIn(title),
    ...place.flatMap(({ name, values }) => [
      ...levelsIn(name),
      ...[...(values?.values() ?? [])].slice(0, 400).flatMap(levelOfValue),
    ]),
  ];
  const times = dimensions.find(({ id }) => id === time)?.values;
  const columns: DescribedColumn[] = dimensions.map(({ id, name, values }) => ({
    name: id,
    ...(name === id ? {} : { title: name }),
    ...(values === null || values.size === 0 || values.size > mostValues
      ? {}
      : { values: [...values.values()] }),
  }));
  return {
    breakdowns: [...new Set([...broken, ...breakdownsIn(title)])],
    levels: [...new Set(levels)],
    years: [...new Set([...(times?.keys() ?? [])].flatMap((code) => /^\d{4}/.exec(code)?.[0] ?? []))].sort(),
    columns,
  };
}

/** `Ward 020401` is a ward; names of places say nothing. */
function levelOfValue(value: string): string[] {
  const word = /^\p{L}+/u.exec(value)?.[0] ?? '';
  const level = levelNamed(word);
  return levelsIn(word).includes(level) && /\d/.test(value) ? [level] : [];
}

/** Dataflows of a service in SDMX, with their dimensions and codes. */
export const sdmxLister: Lister = {
  kind: 'sdmx',
  async *list(source, context) {
    const flows = await dataflowsOf(orderFor(source), context);
    context.meter.totalFeatures = flows.length;
    for (const flow of flows) {
      const { id, name, dimensions, timeDimension } = flow;
      const facts = tableFacts(name, dimensions, timeDimension);
      yield withoutEmpty({
        ...entryBase(source, id, name, { table: id }, 'SDMX'),
        ways: [
          {
            format: 'SDMX',
            source: {
              kind: source.kind,
              at: source.at,
              ...(flow.agency === '' ? {} : { agency: flow.agency }),
            },
            dataset: { table: id },
          },
        ],
        holds: 'table',
        ...facts,
        years: facts.years.length > 0 ? facts.years : yearsIn(name),
        columns:
          timeDimension === null ? facts.columns : [...facts.columns, { name: timeDimension, title: 'time' }],
      });
    }
  },
};

/** Tables of JSON-stat collections, nested ones too. */
export const jsonStatLister: Lister = {
  kind: 'json-stat',
  probe: ({ at }) => at,
  async *list(source, context) {
    for await (const listed of tablesOf(orderFor(source), context)) {
      const { table } = listed;
      const id = tableName(listed);
      const title = table.label ?? id;
      const dimensions = dimensionsOf(table);
      const facts = tableFacts(title, dimensions, table.role?.time?.[0] ?? null);
      yield withoutEmpty({
        ...entryBase(source, id, title, { table: id }, 'JSON-stat'),
        holds: 'table',
        ...facts,
        breakdowns: facts.breakdowns.filter((each) => !table.role?.geo?.includes(each)),
        years: facts.years.length > 0 ? facts.years : yearsIn(title),
        description: table.note?.join(' '),
        provider: table.source,
        updated: dayIn(table.updated),
      });
    }
  },
};

/** Why a region leads to no extract, and what to try. */
function deadRegion(region: Region, all: readonly Region[]): string | undefined {
  if (region.properties.url !== undefined) return undefined;
  const { id } = region.properties;
  const below = all.filter(
    ({ properties }) => properties.parent === id || properties.id.startsWith(`${id}/`),
  );
  return below.length > 0
    ? `it only holds others: ${below
        .slice(0, 6)
        .map((each) => pathOf(each, all))
        .join(', ')}${below.length > 6 ? ' …' : ''}`
    : 'it has no extract, and no regions below it: the next source may have it';
}

/** The tree of regions of a source of extracts. */
export const regionsLister: Lister = {
  kind: 'regions',
  probe: ({ at }) => at,
  async *list(source, context) {
    const all = await regions(orderFor(source), context);
    context.meter.totalFeatures = all.length;
    for (const region of all) {
      const { name, bytes, date, licence, url } = region.properties;
      const path = pathOf(region, all);
      const dead = deadRegion(region, all);
      const parts = all.filter(({ properties }) => properties.parent === region.properties.id);
      yield withoutEmpty({
        source: source.name,
        id: path,
        title: `Map extract of ${name}`,
        holds: 'extract',
        description:
          parts.length === 0
            ? 'Nothing finer lies below this region.'
            : `Below it: ${parts.map(({ properties }) => properties.name).join(', ')}.`,
        keywords: ['map features', 'extract', ...path.split('/')],
        themes: ['map features'],
        licence: licenceName(licence) ?? source.licence,
        updated: dayIn(date),
        years: date === undefined ? [] : [date.slice(0, 4)],
        box: boxIn(region.bbox),
        ways: [
          {
            format: 'map extract',
            source: { kind: source.kind, at: source.at },
            dataset: { region: path, class: 'roads' },
            ...(url === undefined ? {} : { address: url }),
            ...(bytes === undefined ? {} : { bytes }),
            ...(dead === undefined ? {} : { dead }),
          },
        ],
        dead,
      });
    }
  },
};

/** Processes of a service that takes orders (OGC API – Processes), and what each can be asked for. */
export const ordersLister: Lister = {
  kind: 'orders',
  async *list(source, context) {
    const desk = await openDesk(orderFor(source), context);
    const list = desk.follow('processes', 'processes');
    const told = recordsIn(recordIn(await askJson(source.name, list, context))?.processes);
    for (const summary of told) {
      const process = textIn(summary.id);
      if (process === undefined) continue;
      const own = `${withoutLastSlash(bareAddress(list))}/${percentEncoded(process)}`;
      const described =
        (await orNothing(async () => recordIn(await askJson(source.name, own, context)))) ?? summary;
      const inputs = Object.entries(recordIn(described.inputs) ?? {});
      const title = languageText(described.title) ?? process;
      const columns = inputs.map(([name, value]) => {
        const input = recordIn(value);
        const own_ = languageText(input?.title) ?? languageText(input?.description);
        return { name, ...(own_ === undefined ? {} : { title: own_ }) };
      });
      const datasets = inputs.flatMap(([name, value]) => {
        const schema = recordIn(recordIn(value)?.schema);
        const choices = listIn(schema?.enum ?? recordIn(schema?.items)?.enum).flatMap(
          (each) => textIn(each) ?? [],
        );
        return /data|layer|collection|product/i.test(name) ? choices : [];
      });
      const base = {
        holds: 'layer' as const,
        description: languageText(described.description),
        keywords: listIn(described.keywords).flatMap((each) => textIn(each) ?? []),
        columns,
      };
      const one = (id: string, called: string, dataset: Record<string, unknown>) =>
        withoutEmpty({ ...entryBase(source, id, called, dataset, 'OGC API – Processes'), ...base });
      if (datasets.length === 0) yield one(process, title, { process });
      for (const each of datasets)
        yield one(`${process}/${each}`, `${title}: ${each}`, { process, collection: each });
    }
  },
};
