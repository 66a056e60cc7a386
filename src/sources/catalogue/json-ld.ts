import { dictionary } from '../../core/dictionary.ts';
import { listIn, recordIn, textIn } from './shapes.ts';

/** Prefixes that catalogues use without saying what they stand for. */
const usualPrefixes: Readonly<Record<string, string>> = dictionary({
  dcat: 'http://www.w3.org/ns/dcat#',
  dct: 'http://purl.org/dc/terms/',
  dcterms: 'http://purl.org/dc/terms/',
  foaf: 'http://xmlns.com/foaf/0.1/',
  skos: 'http://www.w3.org/2004/02/skos/core#',
  vcard: 'http://www.w3.org/2006/vcard/ns#',
  adms: 'http://www.w3.org/ns/adms#',
  spdx: 'http://spdx.org/rdf/terms#',
  locn: 'http://www.w3.org/ns/locn#',
  schema: 'http://schema.org/',
  owl: 'http://www.w3.org/2002/07/owl#',
  rdf: 'http://www.w3.org/1999/02/22-rdf-syntax-ns#',
  rdfs: 'http://www.w3.org/2000/01/rdf-schema#',
  hydra: 'http://www.w3.org/ns/hydra/core#',
  csvw: 'http://www.w3.org/ns/csvw#',
  dcatap: 'http://data.europa.eu/r5r/',
});

/** What a bare key stands for where a context is not there (it is never fetched): the words of DCAT itself. */
const usualTerms: Readonly<Record<string, string>> = dictionary(
  Object.fromEntries([
    ...[
      'dataset',
      'distribution',
      'keyword',
      'theme',
      'accessURL',
      'downloadURL',
      'mediaType',
      'byteSize',
      'accessService',
      'endpointURL',
      'contactPoint',
      'bbox',
      'startDate',
      'endDate',
      'inSeries',
      'catalog',
      'record',
      'servesDataset',
      'packageFormat',
      'compressFormat',
      'version',
    ].map((word) => [word, `${usualPrefixes.dcat}${word}`]),
    ...[
      'title',
      'description',
      'publisher',
      'license',
      'issued',
      'modified',
      'temporal',
      'spatial',
      'identifier',
      'format',
      'conformsTo',
      'isVersionOf',
      'isPartOf',
      'rights',
      'language',
    ].map((word) => [word, `${usualPrefixes.dct}${word}`]),
    ['name', `${usualPrefixes.foaf}name`],
    ['prefLabel', `${usualPrefixes.skos}prefLabel`],
    ['label', `${usualPrefixes.rdfs}label`],
  ]),
);

/** A node: the values of each property, under its whole name. */
export interface LdNode {
  readonly id: string;
  readonly types: readonly string[];
  readonly properties: ReadonlyMap<string, readonly unknown[]>;
}

/** Levels of nesting that are gone into, and nodes that are taken. */
const deepest = 40;
const mostNodes = 5_000_000;

/**
 * The nodes of a document in JSON-LD (W3C JSON-LD 1.1), flat or nested, by their ids: as much of the standard as catalogues use.
 * Contexts in the document are read; those that stand elsewhere are not fetched, the usual words of DCAT stand in for them.
 */
export class LdGraph {
  readonly nodes = new Map<string, { id: string; types: string[]; properties: Map<string, unknown[]> }>();
  private readonly terms = new Map<string, string>();
  private readonly prefixes = new Map<string, string>(Object.entries(usualPrefixes));
  private blank = 0;

  constructor(document: unknown) {
    const all = listIn(document);
    for (const each of all) this.context(recordIn(each)?.['@context'], 0);
    for (const each of all) {
      const own = recordIn(each);
      if (own === undefined) continue;
      const graph = own['@graph'];
      if (graph !== undefined) for (const node of listIn(graph)) this.take(node, 0);
      const rest = Object.keys(own).some((key) => key !== '@graph' && key !== '@context' && key !== '@id');
      if (graph === undefined || rest) this.take({ ...own, '@graph': undefined }, 0);
    }
  }

  /** Nodes of a type, by the last part of its name: `Dataset`. */
  ofType(type: string): LdNode[] {
    return [...this.nodes.values()].filter(({ types }) =>
      types.some((each) => each.endsWith(`#${type}`) || each.endsWith(`/${type}`)),
    );
  }

  /** Values of a property of a node, named with its usual prefix: `dct:title`. */
  values(node: LdNode | undefined, name: string): readonly unknown[] {
    return node?.properties.get(this.whole(name)) ?? [];
  }

  /** Nodes that a property leads to, those that are only named as nodes without properties. */
  linked(node: LdNode | undefined, name: string): LdNode[] {
    return this.values(node, name).flatMap((value) => {
      const id = textIn(recordIn(value)?.['@id']) ?? (typeof value === 'string' ? value : undefined);
      if (id === undefined) return [];
      return [this.nodes.get(id) ?? { id, types: [], properties: new Map() }];
    });
  }

  /** A property as text: in English, else without a language, else in the first. */
  text(node: LdNode | undefined, name: string): string | undefined {
    return this.texts(node, name)[0];
  }

  /** All its texts; of one text in several languages that in English, else the first language. */
  texts(node: LdNode | undefined, name: string): string[] {
    const told = this.values(node, name).flatMap((value) => {
      const own = recordIn(value);
      const text = textIn(own === undefined ? value : (own['@value'] ?? own['@id']));
      return text === undefined ? [] : [{ text, language: textIn(own?.['@language']) }];
    });
    const languages = new Set(told.map(({ language }) => language));
    const best =
      [...languages].find((language) => language?.toLowerCase().startsWith('en')) ??
      (languages.has(undefined) ? undefined : told[0]?.language);
    return told.filter(({ language }) => language === best).map(({ text }) => text);
  }

  private context(context: unknown, depth: number): void {
    if (depth > 5) return;
    for (const each of listIn(context)) {
      const own = recordIn(each);
      if (own === undefined) continue;
      for (const [name, told] of Object.entries(own)) {
        const target = textIn(told) ?? textIn(recordIn(told)?.['@id']);
        if (target === undefined) continue;
        if (name === '@vocab') this.prefixes.set('', target);
        else if (/[#/:]$/.test(target)) this.prefixes.set(name, target);
        else this.terms.set(name, target);
      }
    }
  }

  /** The whole name of a key or type. */
  private whole(name: string): string {
    const told = this.terms.get(name);
    // A term stands for another that has a prefix.
    const full = told ?? name;
    const colon = full.indexOf(':');
    if (colon > 0) {
      const prefix = this.prefixes.get(full.slice(0, colon));
      if (prefix !== undefined && !full.startsWith('//', colon + 1)) return prefix + full.slice(colon + 1);
      return full;
    }
    const vocabulary = this.prefixes.get('');
    return usualTerms[full] ?? (vocabulary === undefined ? full : vocabulary + full);
  }

  /** Takes a node with all that is nested in it; returns what stands for it. */
  private take(value: unknown, depth: number): unknown {
    const own = recordIn(value);
    if (own === undefined) return value;
    if ('@value' in own) return own;
    if ('@list' in own || '@set' in own)
      return listIn(own['@list'] ?? own['@set']).map((each) => this.take(each, depth + 1));
    if (depth > deepest || this.nodes.size > mostNodes) return value;
    const id = textIn(own['@id']) ?? textIn(own.id) ?? `_:own${this.blank++}`;
    const types = listIn(own['@type'] ?? own.type).flatMap((type) => {
      const text = textIn(type);
      return text === undefined ? [] : [this.typeName(text)];
    });
    const node = this.nodes.get(id) ?? { id, types: [], properties: new Map<string, unknown[]>() };
    this.nodes.set(id, node);
    node.types.push(...types.filter((type) => !node.types.includes(type)));
    for (const [key, told] of Object.entries(own)) {
      if (
        key.startsWith('@') ||
        told === undefined ||
        ((key === 'id' || key === 'type') && typeof told === 'string')
      )
        continue;
      const values = this.valuesOf(key, told, depth);
      const name = this.whole(key);
      node.properties.set(name, [...(node.properties.get(name) ?? []), ...values]);
    }
    return { '@id': id };
  }

  private valuesOf(key: string, told: unknown, depth: number): unknown[] {
    const own = recordIn(told);
    // Texts by language: { "en": "…", "fr": "…" }.
    if (
      own !== undefined &&
      !Object.keys(own).some((name) => name.startsWith('@')) &&
      Object.keys(own).length > 0
    ) {
      const byLanguage = Object.entries(own).every(
        ([name, text]) =>
          /^[a-z]{2,3}(-[A-Za-z0-9]+)*$/.test(name) && (typeof text === 'string' || Array.isArray(text)),
      );
      if (byLanguage && /title|description|keyword|label|name/i.test(key))
        return Object.entries(own).flatMap(([language, text]) =>
          listIn(text).map((each) => ({ '@value': each, '@language': language })),
        );
    }
    return listIn(told).flatMap((each) => {
      const taken = this.take(each, depth + 1);
      return Array.isArray(taken) ? taken : [taken];
    });
  }

  private typeName(text: string): string {
    const bare = /^(Catalog|Dataset|Distribution|DataService|CatalogRecord|DatasetSeries)$/.test(text)
      ? `dcat:${text}`
      : text;
    return this.whole(bare);
  }
}
