import { type Document, isMap, isScalar, type Node, visit } from 'yaml';
import type { Mistake } from './mistake.ts';
import type { Path, Places } from './places.ts';
import { partName, schemasAt, type Wording } from './schema-mistakes.ts';

/** Numbers that are not what was written: `0204` is 204, `1e3` is 1000. Where a number itself is meant, only zeros in front are. */
export function codeNumbers(
  document: Document.Parsed,
  schema: unknown,
  places: Places,
  wording: Wording,
): Mistake[] {
  const mistakes: Mistake[] = [];
  visit(document, {
    Scalar(key, node, ancestors) {
      const { value, source } = node;
      if (key === 'key' || typeof value !== 'number' || source === undefined || source === String(value))
        return;
      const path = pathOf(node, ancestors as readonly Node[]);
      const asNumber = schemasAt(path, schema).some(({ def }) => def?.type === 'number');
      const asText = schemasAt(path, schema).some(({ def }) => def?.type === 'string');
      if (asNumber && !asText && !/^[-+]?0\d/.test(source)) return;
      mistakes.push({
        code: `${wording.what}-code-number`,
        words: `${partName(path, wording)}: ${source} without quotes is the number ${value}.`,
        advice: `A code is a text: write '${source}'.`,
        place: places.at(node.range![0]),
        rank: 'value',
      });
    },
  });
  return mistakes;
}

function pathOf(node: Node, ancestors: readonly Node[]): Path {
  const path: PropertyKey[] = [];
  [...ancestors, node].forEach((each, k, all) => {
    const next = all[k + 1];
    if (next === undefined) return;
    if (isMap(each)) {
      const pair = all[k + 1] as unknown as { key: unknown };
      path.push(String(isScalar(pair.key) ? pair.key.value : pair.key));
    } else if ('items' in each) path.push((each as unknown as { items: unknown[] }).items.indexOf(next));
  });
  return path;
}
