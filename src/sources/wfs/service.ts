import { dictionary } from '../../core/dictionary.ts';
import { IsomericError } from '../../core/errors.ts';
import { suggest } from '../../core/nearest.ts';
import { localName } from '../../formats/xml/read-xml.ts';
import type { XmlElement } from '../../formats/xml/tree.ts';
import type { Order } from '../order.ts';
import type { Queryables } from '../pushdown.ts';
import { askedOnce, askFor, xmlOf } from '../transfer/ask.ts';
import type { Request, TransferContext } from '../transfer/context.ts';
import { failure, reasonIn } from '../transfer/failures.ts';
import { linkAddress } from '../transfer/links.ts';

export type WfsVersion = '2.0.0' | '1.1.0';

export interface FeatureType {
  /** With its prefix, as the service wants it. */
  name: string;
  /** Namespace declarations of the capabilities that the prefix stands in. */
  namespace: string | undefined;
  title: string | undefined;
  abstract: string | undefined;
  keywords: string[];
  /** Where its features lie, in degrees. */
  box: [number, number, number, number] | undefined;
  defaultCrs: string | undefined;
  otherCrs: string[];
}

/** A Web Feature Service as its capabilities describe it (OGC 09-025r2, clause 8; OGC 04-094). */
export interface WfsService {
  version: WfsVersion;
  types: FeatureType[];
  /** Addresses of the operations by GET and by POST, where they are offered. */
  getFeature: { get: string | undefined; post: string | undefined };
  describe: string;
  pages: boolean;
  /** Most features of one answer, when the service says it. */
  countDefault: number | undefined;
  licence: string | undefined;
  provider: string | undefined;
}

/** Adds parameters; names that are there already, in whatever case, are replaced. */
export function withParameters(address: string, parameters: Readonly<Record<string, string>>): string {
  const url = new URL(address);
  for (const [name, value] of Object.entries(parameters)) {
    for (const known of [...url.searchParams.keys()])
      if (known.toLowerCase() === name.toLowerCase()) url.searchParams.delete(known);
    url.searchParams.set(name, value);
  }
  return url.toString();
}

/** An XML answer as a tree; an exception report is raised with its reason. */
async function askXml(request: Request, context: TransferContext): Promise<XmlElement> {
  const { bytes, headers, tree } = await askFor(request, context, async (answer) => ({
    ...answer,
    tree: await xmlOf(answer, request, context),
  }));
  if (/^(ServiceException|Exception)Report$/.test(tree.name)) {
    const reason = reasonIn(new TextDecoder().decode(bytes), headers.get('content-type'));
    throw failure(
      'source-refused',
      request,
      context,
      `the service refuses: “${reason}”.`,
      'Check what is asked of it.',
    );
  }
  return tree;
}

function operation(
  root: XmlElement,
  name: string,
  request: Request,
  context: TransferContext,
): { get: string | undefined; post: string | undefined } {
  const href = (element: XmlElement | undefined) => {
    const told = element?.attribute('href') || undefined;
    return told === undefined ? undefined : linkAddress(told, request.url, request.what, context);
  };
  const found = root.all('OperationsMetadata', 'Operation').find((each) => each.attribute('name') === name);
  return { get: href(found?.first('DCP', 'HTTP', 'Get')), post: href(found?.first('DCP', 'HTTP', 'Post')) };
}

function constraint(root: XmlElement, name: string): string | undefined {
  const all = [
    ...root.all('OperationsMetadata', 'Constraint'),
    ...root.all('OperationsMetadata', 'Operation', 'Constraint'),
  ];
  const found = all.find((each) => each.attribute('name') === name);
  return found?.first('DefaultValue')?.text ?? found?.first('AllowedValues', 'Value')?.text;
}

/** The namespace that a prefix stands for, from the declarations at the elements around. */
function namespaceOf(name: string, elements: readonly (XmlElement | undefined)[]): string | undefined {
  const prefix = name.includes(':') ? name.slice(0, name.indexOf(':')) : '';
  const attribute = prefix === '' ? 'xmlns' : `xmlns:${prefix}`;
  for (const element of elements)
    if (element?.attributes[attribute] !== undefined) return element.attributes[attribute];
  return undefined;
}

/** The box of a feature type in degrees (OWS Common, 06-121r9, clause 10.2). */
function boxOf(type: XmlElement): FeatureType['box'] {
  const told = type.first('WGS84BoundingBox');
  const corners = ['LowerCorner', 'UpperCorner'].flatMap((corner) =>
    (told?.first(corner)?.text ?? '').trim().split(/\s+/).map(Number),
  );
  return corners.length === 4 && corners.every(Number.isFinite)
    ? (corners as [number, number, number, number])
    : undefined;
}

/** Asks a service for its capabilities: version 2.0 where it knows it, 1.1 where that is all. */
export function openWfs(order: Order, context: TransferContext): Promise<WfsService> {
  const url = withParameters(order.address, {
    SERVICE: 'WFS',
    REQUEST: 'GetCapabilities',
    ACCEPTVERSIONS: '2.0.0,1.1.0',
  });
  return askedOnce(`wfs ${url}`, context, async () => {
    const request: Request = { what: order.source, url, accept: 'application/xml, text/xml' };
    const root = await askXml(request, context);
    const told = root.attribute('version') ?? '';
    const version: WfsVersion | undefined = told.startsWith('2.0')
      ? '2.0.0'
      : told.startsWith('1.1')
        ? '1.1.0'
        : undefined;
    if (root.name !== 'WFS_Capabilities' || version === undefined)
      throw failure(
        'source-unsupported',
        request,
        context,
        `it is no Web Feature Service of version 2.0 or 1.1${told === '' ? '' : ` (it says ${told})`}.`,
        'Is the address that of the service itself?',
      );
    const list = root.first('FeatureTypeList');
    const types = (list?.all('FeatureType') ?? []).map((type): FeatureType => {
      const nameElement = type.first('Name');
      const name = nameElement?.text ?? '';
      const crs = (which: string) =>
        type
          .all(`${which}CRS`)
          .concat(type.all(`${which}SRS`))
          .map((each) => each.text);
      return {
        name,
        namespace: namespaceOf(name, [nameElement, type, list, root]),
        title: type.first('Title')?.text || undefined,
        abstract: type.first('Abstract')?.text || undefined,
        keywords: [...type.below('Keyword')].map((each) => each.text).filter((word) => word !== ''),
        box: boxOf(type),
        defaultCrs: crs('Default')[0],
        otherCrs: crs('Other'),
      };
    });
    const count = Number(constraint(root, 'CountDefault'));
    const identification = root.first('ServiceIdentification');
    const access = identification?.first('AccessConstraints')?.text;
    return {
      version,
      types,
      getFeature: operation(root, 'GetFeature', request, context),
      describe: operation(root, 'DescribeFeatureType', request, context).get ?? order.address,
      pages: version === '2.0.0' && /^true$/i.test(constraint(root, 'ImplementsResultPaging') ?? 'true'),
      countDefault: Number.isInteger(count) && count > 0 ? count : undefined,
      licence: access === undefined || /^none$/i.test(access) ? undefined : access,
      provider: root.first('ServiceProvider', 'ProviderName')?.text || undefined,
    };
  });
}

/** The feature type that an order means, with or without its prefix; that of its vintage where there is one. */
export function featureTypeOf(order: Order, service: WfsService, address: string): FeatureType {
  const wanted = order.wanted.collection ?? order.name;
  const names =
    order.vintage === undefined
      ? [wanted]
      : [`${wanted}-${order.vintage}`, `${wanted}_${order.vintage}`, wanted];
  for (const name of names) {
    const found =
      service.types.find((type) => type.name === name) ??
      service.types.find((type) => localName(type.name) === name);
    if (found !== undefined) return found;
  }
  throw new IsomericError('collection-unknown', `${order.source} has no feature type “${wanted}”.`, {
    place: { file: address },
    wrong: wanted,
    advice: suggest(
      wanted,
      service.types.map((type) => localName(type.name)),
    ),
    blame: 'usage',
  });
}

/** What a feature type is made of. */
export interface FeatureProperties {
  /** The schema as it came. */
  schema: Uint8Array;
  url: string;
  queryables: Queryables;
  /** First property that holds geometry. */
  geometry: string | undefined;
}

const kinds: Readonly<Record<string, 'text' | 'number' | 'boolean'>> = dictionary({
  string: 'text',
  token: 'text',
  normalizedString: 'text',
  integer: 'number',
  int: 'number',
  long: 'number',
  short: 'number',
  byte: 'number',
  nonNegativeInteger: 'number',
  positiveInteger: 'number',
  decimal: 'number',
  double: 'number',
  float: 'number',
  boolean: 'boolean',
});

/** Asks for the schema of a feature type (DescribeFeatureType). */
export function describeType(
  order: Order,
  service: WfsService,
  type: FeatureType,
  context: TransferContext,
): Promise<FeatureProperties> {
  const two = service.version === '2.0.0';
  const url = withParameters(service.describe, {
    SERVICE: 'WFS',
    VERSION: service.version,
    REQUEST: 'DescribeFeatureType',
    [two ? 'TYPENAMES' : 'TYPENAME']: type.name,
    ...(type.namespace === undefined ? {} : namespaceParameter(service.version, type)),
  });
  return askedOnce(`wfs ${url}`, context, async () => {
    const request: Request = {
      what: `${order.source}/${localName(type.name)}`,
      url,
      accept: 'application/xml, text/xml',
    };
    const { bytes, tree } = await askFor(request, context, async (answer) => ({
      ...answer,
      tree: await xmlOf(answer, request, context),
    }));
    if (tree.name !== 'schema')
      throw failure(
        'source-garbled',
        request,
        context,
        'the description of the feature type is no XML Schema.',
        'Ask the makers of the service.',
      );
    const queryables = new Map<string, 'text' | 'number' | 'boolean' | 'date' | 'other'>();
    let geometry: string | undefined;
    const own = tree.all('element').find((each) => each.attribute('name') === localName(type.name));
    const typeName = localName(own?.attribute('type') ?? '');
    const complex =
      tree.all('complexType').find((each) => each.attribute('name') === typeName) ?? own ?? tree;
    for (const element of complex.below('element')) {
      const name = element.attribute('name');
      if (name === undefined) continue;
      const base =
        element.attribute('type') ?? element.first('simpleType', 'restriction')?.attribute('base') ?? '';
      if (/PropertyType$/.test(base)) geometry ??= name;
      else queryables.set(name, kinds[localName(base)] ?? 'other');
    }
    return { schema: bytes, url, queryables, geometry };
  });
}

/** How a prefix is told to a service (OGC 09-025r2, table 7; OGC 04-094, clause 14.7.3). */
export function namespaceParameter(version: WfsVersion, type: FeatureType): Record<string, string> {
  if (type.namespace === undefined || !type.name.includes(':')) return {};
  const prefix = type.name.slice(0, type.name.indexOf(':'));
  return version === '2.0.0'
    ? { NAMESPACES: `xmlns(${prefix},${type.namespace})` }
    : { NAMESPACE: `xmlns(${prefix}=${type.namespace})` };
}
