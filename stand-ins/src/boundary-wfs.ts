import { createHash } from 'node:crypto';
import { type Collection, type Feature, mapped, meets, mercator, unmercator } from './boundary-data.ts';
import { featureGml, gmlNamespaces, teskariaNamespace, xmlEscaped } from './boundary-gml.ts';
import { type Filter, filterIn } from './fes.ts';
import { type Mood, nextStart } from './moods.ts';
import type { Answer, Service } from './service.ts';
import { parseXml } from './xml.ts';

type Version = '2.0.0' | '1.1.0';

export interface WfsOptions {
  mood?: () => Mood;
  pageSize?: number;
}

/** One question, however it was asked. */
interface Question {
  version: Version;
  typeName: string;
  srsName: string | undefined;
  count: number | undefined;
  start: number;
  hits: boolean;
  filter: Filter | null;
  box: number[] | null;
}

const crs = (code: number) => `urn:ogc:def:crs:EPSG::${code}`;
const srsNames = [crs(4326), crs(3857)];

const exception = (version: Version, code: string, text: string) =>
  version === '2.0.0'
    ? `<?xml version="1.0" encoding="UTF-8"?>\n<ows:ExceptionReport xmlns:ows="http://www.opengis.net/ows/1.1" version="2.0.0"><ows:Exception exceptionCode="${code}"><ows:ExceptionText>${xmlEscaped(text)}</ows:ExceptionText></ows:Exception></ows:ExceptionReport>`
    : `<?xml version="1.0" encoding="UTF-8"?>\n<ows:ExceptionReport xmlns:ows="http://www.opengis.net/ows" version="1.1.0"><ows:Exception exceptionCode="${code}"><ows:ExceptionText>${xmlEscaped(text)}</ows:ExceptionText></ows:Exception></ows:ExceptionReport>`;

/** The name of a feature type: collections with a vintage in their name write it with an underscore. */
const typeOf = (collection: Collection) => `tb:${collection.id.replace('-', '_')}`;

function capabilities(
  version: Version,
  address: string,
  collections: readonly Collection[],
  pageSize: number,
): string {
  const two = version === '2.0.0';
  const ows = two ? 'http://www.opengis.net/ows/1.1' : 'http://www.opengis.net/ows';
  const wfs = two ? 'http://www.opengis.net/wfs/2.0' : 'http://www.opengis.net/wfs';
  const operation = (name: string, post = false) =>
    `<ows:Operation name="${name}"><ows:DCP><ows:HTTP><ows:Get xlink:href="${address}"/>${post ? `<ows:Post xlink:href="${address}"/>` : ''}</ows:HTTP></ows:DCP></ows:Operation>`;
  const constraint = (name: string, value: string | number) =>
    `<ows:Constraint name="${name}"><ows:NoValues/><ows:DefaultValue>${value}</ows:DefaultValue></ows:Constraint>`;
  const [defaultName, otherName] = two ? ['DefaultCRS', 'OtherCRS'] : ['DefaultSRS', 'OtherSRS'];
  return `<?xml version="1.0" encoding="UTF-8"?>
<wfs:WFS_Capabilities version="${version}" xmlns:wfs="${wfs}" xmlns:ows="${ows}" xmlns:xlink="http://www.w3.org/1999/xlink" xmlns:tb="${teskariaNamespace}">
<ows:ServiceIdentification><ows:Title>Boundary Office of Teskaria (simulated)</ows:Title><ows:ServiceType>WFS</ows:ServiceType><ows:ServiceTypeVersion>${version}</ows:ServiceTypeVersion><ows:Fees>NONE</ows:Fees><ows:AccessConstraints>Teskaria Open Boundaries Licence 2.0</ows:AccessConstraints></ows:ServiceIdentification>
<ows:ServiceProvider><ows:ProviderName>Boundary Office of Teskaria</ows:ProviderName></ows:ServiceProvider>
<ows:OperationsMetadata>${operation('GetCapabilities')}${operation('DescribeFeatureType')}${operation('GetFeature', true)}${two ? `${constraint('ImplementsResultPaging', 'TRUE')}${constraint('CountDefault', pageSize)}` : ''}</ows:OperationsMetadata>
<wfs:FeatureTypeList>
${collections.map((collection) => `<wfs:FeatureType><wfs:Name>${typeOf(collection)}</wfs:Name><wfs:Title>${collection.title}</wfs:Title><wfs:${defaultName}>${srsNames[0]}</wfs:${defaultName}><wfs:${otherName}>${srsNames[1]}</wfs:${otherName}></wfs:FeatureType>`).join('\n')}
</wfs:FeatureTypeList>
</wfs:WFS_Capabilities>
`;
}

function schemaOf(collection: Collection, version: Version): string {
  const gml = version === '2.0.0' ? 'http://www.opengis.net/gml/3.2' : 'http://www.opengis.net/gml';
  const element = typeOf(collection).slice(3);
  const properties = Object.entries(collection.features[0].properties).map(
    ([name, value]) =>
      `<xsd:element name="${name}" type="xsd:${typeof value === 'number' ? 'int' : 'string'}" minOccurs="0"/>`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>
<xsd:schema xmlns:xsd="http://www.w3.org/2001/XMLSchema" xmlns:gml="${gml}" xmlns:tb="${teskariaNamespace}" targetNamespace="${teskariaNamespace}" elementFormDefault="qualified">
<xsd:element name="${element}" type="tb:${element}Type" substitutionGroup="gml:AbstractFeature"/>
<xsd:complexType name="${element}Type"><xsd:complexContent><xsd:extension base="gml:AbstractFeatureType"><xsd:sequence>
<xsd:element name="shape" type="gml:MultiSurfacePropertyType" minOccurs="0"/>
${properties.join('\n')}
</xsd:sequence></xsd:extension></xsd:complexContent></xsd:complexType>
</xsd:schema>
`;
}

class Refusal extends Error {}

/** West, south, east, north on WGS 84 of four ordinates in the order of their CRS's axes. */
function boxIn(numbers: number[], srsName: string | undefined): number[] {
  if (numbers.length !== 4 || numbers.some(Number.isNaN)) throw new Refusal('BBOX needs four numbers.');
  const [a, b, c, d] = numbers;
  if (srsName === undefined || srsName === srsNames[0]) return [b, a, d, c];
  if (srsName === srsNames[1]) return [...unmercator([a, b]), ...unmercator([c, d])];
  throw new Refusal(`Boxes are not taken in ${srsName}.`);
}

/** Adds a simulated Web Feature Service (OGC 09-025r2 and 04-094) at /wfs, and one that knows 1.1 alone at /wfs-1.1. */
export function addWfs(server: Service, known: ReadonlyMap<string, Collection>, options: WfsOptions): void {
  const collections = [...known.values()];
  const pageSize = options.pageSize ?? 100;

  const find = (typeName: string): Collection => {
    const found = collections.find((each) => typeOf(each) === typeName || typeOf(each).slice(3) === typeName);
    if (found === undefined) throw new Refusal(`There is no feature type ${typeName}.`);
    return found;
  };

  const answer = (question: Question, reply: Answer, address: string, query: URLSearchParams | null) => {
    const { version, filter, box } = question;
    const two = version === '2.0.0';
    const collection = find(question.typeName);
    const matched = collection.features.filter(
      (feature: Feature) =>
        (box === null || meets(feature, box)) &&
        (filter === null ||
          ((filter.ids === null || filter.ids.has(`${collection.level}.${feature.id}`)) &&
            (filter.box === null || meets(feature, filter.box)) &&
            (filter.condition === null || filter.condition(feature.properties) === true))),
    );
    const count = question.count ?? (two ? pageSize : matched.length);
    const page = question.hits ? [] : matched.slice(question.start, question.start + count);
    const mood = options.mood?.();
    const after = nextStart(mood, question.start, count);
    let next = '';
    if (
      two &&
      !question.hits &&
      question.start + count < matched.length &&
      query !== null &&
      mood !== 'no next'
    ) {
      const rest = new URLSearchParams(query);
      for (const name of [...rest.keys()]) if (/^(startindex|count)$/i.test(name)) rest.delete(name);
      rest.set('COUNT', String(count));
      rest.set('STARTINDEX', String(after));
      next = ` next="${xmlEscaped(`${address}?${rest}`)}"`;
    }
    const srs = question.srsName ?? srsNames[0];
    if (!srsNames.includes(srs)) throw new Refusal(`${srs} is no CRS of this feature type.`);
    const toMercator = srs === srsNames[1];
    const body = page.map((feature) => {
      const placed = toMercator
        ? {
            ...feature,
            geometry: { ...feature.geometry, coordinates: mapped(feature.geometry.coordinates, mercator) },
          }
        : feature;
      const text = featureGml(placed, collection.level, srs, !toMercator, !two).replaceAll(
        `tb:${collection.level}`,
        typeOf(collection),
      );
      return two ? `<wfs:member>${text}</wfs:member>` : `<gml:featureMember>${text}</gml:featureMember>`;
    });
    const text = two
      ? `<?xml version="1.0" encoding="UTF-8"?>\n<wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs/2.0" ${gmlNamespaces} numberMatched="${matched.length}" numberReturned="${page.length}"${next}>\n${body.join('\n')}\n</wfs:FeatureCollection>\n`
      : `<?xml version="1.0" encoding="UTF-8"?>\n<wfs:FeatureCollection xmlns:wfs="http://www.opengis.net/wfs" ${gmlNamespaces.replace('gml/3.2', 'gml')} numberOfFeatures="${question.hits ? matched.length : page.length}">\n${body.join('\n')}\n</wfs:FeatureCollection>\n`;
    const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`;
    if (reply.request.headers['if-none-match'] === etag) return reply.code(304).header('etag', etag).send();
    return reply
      .header('etag', etag)
      .type(two ? 'application/gml+xml; version=3.2' : 'text/xml; subtype=gml/3.1.1')
      .send(text);
  };

  for (const [path, only] of [
    ['/wfs', undefined],
    ['/wfs-1.1', '1.1.0'],
  ] as const) {
    const addressOf = (request: { protocol: string; host: string }) =>
      `${request.protocol}://${request.host}${path}`;
    const failed = (reply: Answer, version: Version, error: unknown) => {
      if (!(error instanceof Refusal)) throw error;
      return reply
        .code(version === '2.0.0' ? 400 : 200)
        .type('text/xml')
        .send(exception(version, 'InvalidParameterValue', error.message));
    };
    server.get(path, async (request, reply) => {
      const query = new URL(request.url, addressOf(request)).searchParams;
      const get = (name: string) => {
        for (const [key, value] of query) if (key.toLowerCase() === name) return value;
        return undefined;
      };
      const version: Version = only ?? ((get('version') ?? '').startsWith('1.1') ? '1.1.0' : '2.0.0');
      try {
        switch (get('request')?.toLowerCase()) {
          case 'getcapabilities':
            return reply
              .type('text/xml')
              .send(capabilities(version, addressOf(request), collections, pageSize));
          case 'describefeaturetype':
            return reply
              .type('text/xml')
              .send(schemaOf(find(get('typenames') ?? get('typename') ?? ''), version));
          case 'getfeature': {
            const box = get('bbox')?.split(',');
            const filter = get('filter');
            if (box !== undefined && filter !== undefined)
              throw new Refusal('BBOX and FILTER exclude each other.');
            return answer(
              {
                version,
                typeName: get('typenames') ?? get('typename') ?? '',
                srsName: get('srsname'),
                count: get('count') === undefined ? undefined : Number(get('count')),
                start: Number(get('startindex') ?? 0),
                hits: get('resulttype') === 'hits',
                filter: filter === undefined ? null : filterIn(parseXml(filter)),
                box: box === undefined ? null : boxIn(box.slice(0, 4).map(Number), box[4]),
              },
              reply,
              addressOf(request),
              query,
            );
          }
          default:
            throw new Refusal(`There is no operation ${get('request')}.`);
        }
      } catch (error) {
        return failed(reply, version, error);
      }
    });
    server.post(path, async (request, reply) => {
      const root = parseXml(String(request.body));
      const version: Version = only ?? (root.attributes.version?.startsWith('1.1') ? '1.1.0' : '2.0.0');
      try {
        const query = root.children.find((each) => each.name === 'Query');
        if (root.name !== 'GetFeature' || query === undefined)
          throw new Refusal('GetFeature is all that is taken by POST.');
        const filter = query.children.find((each) => each.name === 'Filter');
        return answer(
          {
            version,
            typeName: query.attributes.typeNames ?? query.attributes.typeName ?? '',
            srsName: query.attributes.srsName,
            count: root.attributes.count === undefined ? undefined : Number(root.attributes.count),
            start: Number(root.attributes.startIndex ?? 0),
            hits: root.attributes.resultType === 'hits',
            filter: filter === undefined ? null : filterIn(filter),
            box: null,
          },
          reply,
          addressOf(request),
          null,
        );
      } catch (error) {
        return failed(reply, version, error);
      }
    });
  }
}
