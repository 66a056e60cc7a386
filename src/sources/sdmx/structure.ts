import { idOfUrn } from '../../formats/sdmx/structure.ts';
import { type XmlElement, xmlTree } from '../../formats/xml/tree.ts';
import type { Dimension } from '../choices.ts';

/** What a dataflow is made of, as its structure message says. */
export interface Dataflow {
  id: string;
  agency: string;
  version: string;
  name: string;
  /** In the order of the key, without the one of time. */
  dimensions: Dimension[];
  timeDimension: string | null;
}

const nameOf = (element: XmlElement | undefined): string | undefined => {
  const names = element?.all('Name') ?? [];
  const english = names.find((each) => (each.attribute('lang') ?? 'en') === 'en') ?? names[0];
  return english?.text || undefined;
};

/** The id that a reference points at: a Ref element (2.1) or a URN as text (3.0). */
function referred(element: XmlElement | undefined): string | undefined {
  if (element === undefined) return undefined;
  const ref = element.first('Ref');
  if (ref !== undefined) return ref.attribute('id');
  const urn = element.first('URN')?.text ?? element.text;
  return urn === '' ? undefined : idOfUrn(urn);
}

/** Dataflows of a structure message in SDMX-ML 2.1 or 3.0. */
export async function dataflowsOfXml(bytes: Uint8Array, name: string): Promise<Dataflow[] | null> {
  const root = await xmlTree(bytes, name);
  if (root.name !== 'Structure') return null;
  const codelists = new Map<string, Map<string, string>>();
  for (const list of root.below('Codelist')) {
    const values = new Map<string, string>();
    for (const code of list.all('Code')) {
      const id = code.attribute('id');
      if (id !== undefined) values.set(id, nameOf(code) ?? id);
    }
    codelists.set(list.attribute('id') ?? '', values);
  }
  const concepts = new Map<string, string>();
  for (const concept of root.below('Concept')) {
    const id = concept.attribute('id');
    if (id !== undefined) concepts.set(id, nameOf(concept) ?? id);
  }
  const structures = new Map<string, { dimensions: Dimension[]; timeDimension: string | null }>();
  for (const structure of root.below('DataStructure')) {
    const list = structure.first('DataStructureComponents', 'DimensionList');
    if (list === undefined) continue;
    const placed = list.all('Dimension').map((element, k) => {
      const id = element.attribute('id') ?? referred(element.first('ConceptIdentity')) ?? `D${k + 1}`;
      const codelist = referred(element.first('LocalRepresentation', 'Enumeration'));
      const concept = referred(element.first('ConceptIdentity'));
      return {
        position: Number(element.attribute('position') ?? k + 1),
        dimension: {
          id,
          name: concepts.get(concept ?? id) ?? id,
          values: codelist === undefined ? null : (codelists.get(codelist) ?? null),
        },
      };
    });
    placed.sort((a, b) => a.position - b.position);
    structures.set(structure.attribute('id') ?? '', {
      dimensions: placed.map(({ dimension }) => dimension),
      timeDimension: list.first('TimeDimension')?.attribute('id') ?? null,
    });
  }
  return [...root.below('Dataflow')].map((flow) => {
    const structure = structures.get(referred(flow.first('Structure')) ?? '');
    return {
      id: flow.attribute('id') ?? '',
      agency: flow.attribute('agencyID') ?? '',
      version: flow.attribute('version') ?? '1.0',
      name: nameOf(flow) ?? flow.attribute('id') ?? '',
      dimensions: structure?.dimensions ?? [],
      timeDimension: structure?.timeDimension ?? null,
    };
  });
}

type Json = Record<string, unknown>;
const isObject = (value: unknown): value is Json =>
  value !== null && typeof value === 'object' && !Array.isArray(value);
const list = (value: unknown): Json[] => (Array.isArray(value) ? value.filter(isObject) : []);
const text = (value: unknown): string | undefined => (typeof value === 'string' ? value : undefined);

/** Dataflows of a structure message in SDMX-JSON 1.0 or 2.0. */
export function dataflowsOfJson(document: unknown): Dataflow[] | null {
  const data = isObject(document) && isObject(document.data) ? document.data : null;
  if (data === null) return null;
  const codelists = new Map(
    list(data.codelists).map((each) => [
      text(each.id) ?? '',
      new Map(list(each.codes).map((code) => [text(code.id) ?? '', text(code.name) ?? text(code.id) ?? ''])),
    ]),
  );
  const concepts = new Map(
    list(data.conceptSchemes)
      .flatMap((scheme) => list(scheme.concepts))
      .map((concept) => [text(concept.id) ?? '', text(concept.name) ?? '']),
  );
  const structures = new Map(
    list(data.dataStructures).map((structure) => {
      const components = isObject(structure.dataStructureComponents) ? structure.dataStructureComponents : {};
      const dimensionList = isObject(components.dimensionList) ? components.dimensionList : {};
      const dimensions = list(dimensionList.dimensions)
        .map((each, k) => ({ each, position: typeof each.position === 'number' ? each.position : k }))
        .sort((a, b) => a.position - b.position)
        .map(({ each }): Dimension => {
          const id = text(each.id) ?? '';
          const local = isObject(each.localRepresentation) ? each.localRepresentation : {};
          const enumeration = text(local.enumeration);
          const concept = text(each.conceptIdentity);
          return {
            id,
            name: concepts.get(concept === undefined ? id : idOfUrn(concept)) ?? id,
            values: enumeration === undefined ? null : (codelists.get(idOfUrn(enumeration)) ?? null),
          };
        });
      const times = isObject(dimensionList.timeDimension)
        ? [dimensionList.timeDimension]
        : list(dimensionList.timeDimensions);
      return [text(structure.id) ?? '', { dimensions, timeDimension: text(times[0]?.id) ?? null }] as const;
    }),
  );
  return list(data.dataflows).map((flow) => {
    const structure = structures.get(idOfUrn(text(flow.structure) ?? ''));
    return {
      id: text(flow.id) ?? '',
      agency: text(flow.agencyID) ?? '',
      version: text(flow.version) ?? '1.0',
      name: text(flow.name) ?? text(flow.id) ?? '',
      dimensions: structure?.dimensions ?? [],
      timeDimension: structure?.timeDimension ?? null,
    };
  });
}
