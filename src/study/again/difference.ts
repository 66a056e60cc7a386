import type { Finding } from '../../core/findings.ts';
import { type TableDifference, tableDifference } from '../../core/layer/difference.ts';
import type { Layer, Table } from '../../core/layer/layer.ts';
import type { Study } from '../file/schema.ts';

/** Where the difference to the last run stands in the study folder. */
export const changesPath = 'prepared/changes.json';

/** How one layer differs from what it was. */
export interface LayerDifference extends Partial<TableDifference> {
  layer: string;
  state: 'changed' | 'same' | 'new' | 'gone';
}

/** How a run differs from the one before. */
export interface Difference {
  layers: LayerDifference[];
  findings: { new: Finding[]; gone: Finding[] };
}

/** A state of a study: its layers, and what was found. */
export interface State {
  layers: ReadonlyMap<string, Layer | Table>;
  findings: readonly Finding[];
}

/** Findings of one code in one layer that are told one by one; of more there is a count. */
const keyOf = ({ code, layer, feature, words }: Finding) => JSON.stringify([code, layer, feature, words]);

/** Fields that name the features of a layer, as its checks say. */
export const keysIn = (study: Study, layer: string) =>
  (study.check[layer] ?? [])
    .filter((check) => check.startsWith('key:'))
    .map((check) => check.slice(4).trim());

/** @param differs false for layers that rest on the same as before: they are the same */
export async function compareStates(
  before: State,
  after: State,
  study: Study,
  differs: (layer: string) => boolean = () => true,
): Promise<Difference> {
  const layers: LayerDifference[] = [];
  for (const [layer, table] of after.layers) {
    const old = before.layers.get(layer);
    if (old === undefined) layers.push({ layer, state: 'new', after: table.count });
    else if (!differs(layer)) layers.push({ layer, state: 'same' });
    else {
      const found = await tableDifference(old, table, keysIn(study, layer));
      const { added, gone, reshaped, altered, fields } = found;
      const changed = added.count + gone.count + reshaped.count + altered.count + fields.length > 0;
      layers.push(changed ? { layer, state: 'changed', ...found } : { layer, state: 'same' });
    }
  }
  for (const [layer, table] of before.layers)
    if (!after.layers.has(layer)) layers.push({ layer, state: 'gone', before: table.count });
  const was = new Set(before.findings.map(keyOf));
  const is = new Set(after.findings.map(keyOf));
  return {
    layers,
    findings: {
      new: after.findings.filter((finding) => !was.has(keyOf(finding))),
      gone: before.findings.filter((finding) => !is.has(keyOf(finding))),
    },
  };
}
