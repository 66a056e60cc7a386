import { isMap, isScalar, LineCounter, type Node, parseDocument, type YAMLMap } from 'yaml';
import type { z } from 'zod';
import { IsomericError } from '../core/errors.ts';
import { suggest } from '../core/nearest.ts';
import { type Study, studySchema } from './schema.ts';

/** Most bytes of a study file. */
const longest = 2_000_000;

/** Reads study.yaml. A mistake in it is told with file, line, column and the nearest right word. */
export function loadStudy(text: string, file = 'study.yaml'): Study {
  if (text.length > longest)
    throw new IsomericError('study-too-long', 'The file is too long for a study.', {
      place: { file },
      blame: 'usage',
    });
  const lines = new LineCounter();
  const document = parseDocument(text, {
    lineCounter: lines,
    prettyErrors: false,
    maxAliasCount: 100,
  } as Parameters<typeof parseDocument>[1]);
  const [mistake] = document.errors;
  if (mistake !== undefined) {
    const { line, col } = lines.linePos(mistake.pos[0]);
    throw new IsomericError('study-syntax', `The text is not YAML: ${mistake.message.replace(/\.$/, '')}.`, {
      place: { file, line, column: col },
      blame: 'usage',
    });
  }
  const place = (path: readonly PropertyKey[], key?: string) => {
    const offset = offsetOf(document.contents as Node | null, path, key);
    const { line, col } = lines.linePos(offset);
    return { file, line, column: col };
  };
  const value: unknown = document.toJS() ?? {};
  const result = studySchema.safeParse(value);
  if (!result.success) throw describeIssue(result.error.issues[0], value, place);
  checkNames(result.data, place);
  return result.data;
}

type Placer = (path: readonly PropertyKey[], key?: string) => { file: string; line: number; column: number };

/** Character at which the value at a path begins (or the key of that name in the map there). */
function offsetOf(root: Node | null, path: readonly PropertyKey[], key?: string): number {
  let node: unknown = root;
  let offset = root?.range?.[0] ?? 0;
  const keyOf = (map: YAMLMap, name: PropertyKey) =>
    map.items.find((pair) => String(isScalar(pair.key) ? pair.key.value : pair.key) === String(name));
  for (const part of path) {
    if (isMap(node)) {
      const pair = keyOf(node as YAMLMap, part);
      if (pair === undefined) return offset;
      offset = (pair.key as Node).range?.[0] ?? offset;
      node = pair.value;
    } else if (node !== null && typeof node === 'object' && 'items' in node) {
      node = (node as { items: unknown[] }).items[Number(part)];
      offset = (node as Node | undefined)?.range?.[0] ?? offset;
    } else return offset;
  }
  if (key !== undefined && isMap(node))
    return (keyOf(node as YAMLMap, key)?.key as Node | undefined)?.range?.[0] ?? offset;
  return offset;
}

/** Keys that may stand where an issue was found. */
function keysAt(path: readonly PropertyKey[]): string[] {
  let schema: unknown = studySchema;
  for (const part of path) {
    schema = unwrapped(schema);
    const own = schema as {
      shape?: Record<string, unknown>;
      valueType?: unknown;
      element?: unknown;
      _zod?: { def: { valueType?: unknown } };
    };
    schema =
      own.shape !== undefined
        ? own.shape[String(part)]
        : (own.element ?? own.valueType ?? own._zod?.def.valueType);
  }
  return Object.keys((unwrapped(schema) as { shape?: object } | undefined)?.shape ?? {});
}

function unwrapped(schema: unknown): unknown {
  let inner = schema as { def?: { type?: string; innerType?: unknown; in?: unknown } } | undefined;
  while (inner?.def !== undefined && (inner.def.innerType !== undefined || inner.def.type === 'pipe')) {
    inner = (inner.def.innerType ?? inner.def.in) as typeof inner;
  }
  return inner;
}

function describeIssue(issue: z.core.$ZodIssue, value: unknown, place: Placer): IsomericError {
  const where = issue.path.map(String).join(' → ');
  const at = where === '' ? 'The study' : `“${where}”`;
  if (issue.code === 'unrecognized_keys') {
    const key = issue.keys[0];
    return new IsomericError('study-unknown-word', `${at} has no “${key}”.`, {
      place: place(issue.path, key),
      advice: suggest(key, keysAt(issue.path)),
      blame: 'usage',
    });
  }
  const parent = issue.path
    .slice(0, -1)
    .reduce<unknown>((inner, part) => (inner as Record<PropertyKey, unknown> | undefined)?.[part], value);
  const last = issue.path.at(-1);
  const absent = last !== undefined && parent !== null && typeof parent === 'object' && !(last in parent);
  if (absent) {
    return new IsomericError('study-missing', `“${where}” is missing.`, {
      place: place(issue.path.slice(0, -1)),
      blame: 'usage',
    });
  }
  if (issue.code === 'invalid_value') {
    const given = issue.path.reduce<unknown>(
      (inner, part) => (inner as Record<PropertyKey, unknown> | undefined)?.[part],
      value,
    );
    return new IsomericError('study-value', `${at} cannot be “${String(given)}”.`, {
      place: place(issue.path),
      advice: suggest(String(given), issue.values.map(String)),
      blame: 'usage',
    });
  }
  const words =
    issue.code === 'custom' || issue.code === 'invalid_format'
      ? `: ${issue.message.replace(/^Invalid input: /, '')}.`
      : ` is wrong: ${issue.message.replace(/^Invalid input: /, '')}.`;
  return new IsomericError('study-value', `${at}${words}`, { place: place(issue.path), blame: 'usage' });
}

/** Names that point at something in the study itself. */
function checkNames(study: Study, place: Placer): void {
  const unknown = (kind: string, name: string, known: readonly string[], path: readonly PropertyKey[]) => {
    if (known.includes(name)) return;
    throw new IsomericError('study-unknown-name', `There is no ${kind} “${name}” in the study.`, {
      place: place(path),
      advice: suggest(name, known),
      blame: 'usage',
    });
  };
  const gathered = Object.keys(study.gather);
  const prepared = Object.keys(study.prepare);
  for (const [name, dataset] of Object.entries(study.gather)) {
    if (dataset.from !== undefined)
      unknown('source', dataset.from, Object.keys(study.sources), ['gather', name, 'from']);
  }
  if (study.area.units !== undefined)
    unknown('gathered layer', study.area.units.of, gathered, ['area', 'units', 'of']);
  if (study.area.layer !== undefined)
    unknown('gathered layer', study.area.layer, gathered, ['area', 'layer']);
  for (const [name, steps] of Object.entries(study.prepare)) {
    unknown('gathered layer', name, gathered, ['prepare', name]);
    steps.forEach((step, k) => {
      if (step.join !== undefined)
        unknown('gathered table', step.join, gathered, ['prepare', name, k, 'join']);
      if (step.units !== undefined)
        unknown('gathered layer', step.units, gathered, ['prepare', name, k, 'units']);
    });
  }
  for (const name of Object.keys(study.check)) unknown('prepared layer', name, prepared, ['check', name]);
  for (const [name, map] of Object.entries(study.draw)) {
    unknown('prepared layer', map.layer, prepared, ['draw', name, 'layer']);
    map.over.forEach((layer, k) => {
      unknown('prepared layer', layer, prepared, ['draw', name, 'over', k]);
    });
    map.under.forEach((layer, k) => {
      unknown('layer', layer, gathered, ['draw', name, 'under', k]);
    });
  }
}
