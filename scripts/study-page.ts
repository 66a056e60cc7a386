/** Makes docs/study-file.md from the schema of studies: `npm run study-page`. Another file can be named. */
import { readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import * as z from 'zod';
import { keyExamples } from '../src/study/file/examples.ts';
import { studySchema } from '../src/study/file/schema.ts';

/** A part of JSON Schema, as far as it is read here. */
interface Part {
  type?: string;
  description?: string;
  default?: unknown;
  enum?: unknown[];
  const?: unknown;
  items?: Part;
  properties?: Record<string, Part>;
  required?: string[];
  additionalProperties?: Part | boolean;
  anyOf?: Part[];
}

const root = z.toJSONSchema(studySchema, { io: 'input', unrepresentable: 'any' }) as Part;

const typeOf = (part: Part): string => {
  if (part.anyOf !== undefined) return [...new Set(part.anyOf.map(typeOf))].join(' or ');
  if (part.enum !== undefined)
    return part.enum.length > 4 ? 'a word' : part.enum.map((each) => `\`${String(each)}\``).join(', ');
  if (part.const !== undefined) return `\`${String(part.const)}\``;
  switch (part.type) {
    case 'string':
      return 'text';
    case 'array':
      return part.items === undefined ? 'list' : `list of ${typeOf(part.items).replace(/^text$/, 'texts')}`;
    case 'object':
      return 'keys';
    case 'integer':
      return 'whole number';
    case 'boolean':
      return 'true or false';
    case 'null':
      return 'nothing';
    default:
      return part.type ?? 'any';
  }
};

const cell = (words: string) => words.replaceAll('|', '\\|').replaceAll('\n', ' ');

const descriptionOf = (part: Part): string =>
  part.description ?? part.anyOf?.find((each) => each.description !== undefined)?.description ?? '';

function usual(part: Part, needed: boolean): string {
  if (needed) return 'needed';
  const value = part.default;
  if (value === undefined) return '';
  if (Array.isArray(value)) return value.length === 0 ? '' : `\`[${value.join(', ')}]\``;
  return typeof value === 'object' ? '' : `\`${String(value)}\``;
}

interface Row {
  path: string[];
  part: Part;
  needed: boolean;
}

/** All keys below a part, each by its path. */
function rows(part: Part, path: string[]): Row[] {
  const objects = part.anyOf ?? [part];
  return objects.flatMap((each) => {
    const own = Object.entries(each.properties ?? {}).flatMap(([key, inner]) => [
      { path: [...path, key], part: inner, needed: each.required?.includes(key) ?? false },
      ...rows(inner, [...path, key]),
    ]);
    const named = each.additionalProperties;
    const any = typeof named === 'object' ? rows(named, [...path, '*']) : [];
    return [...own, ...any];
  });
}

const shown = (path: readonly string[], part: string) =>
  path
    .slice(1)
    .map((key) => (key === '*' ? 'NAME' : key))
    .join(' → ')
    // What stands below a name is told without it.
    .replace(/^NAME → /, '') || part;

function table(part: string): string {
  const all = rows({ properties: { [part]: root.properties![part] }, required: root.required }, [])
    // Steps have a page of their own.
    .filter(({ path }) => !(path[0] === 'prepare' && path.length > 1));
  // A part that only holds others is told by them.
  const told = all.filter(
    ({ path, part: own }) =>
      path.length > 1 ||
      all.length === 1 ||
      keyExamples[path.join('.')] !== undefined ||
      own.type !== 'object',
  );
  const lines = told.flatMap(({ path, part: own, needed }) => {
    const example = keyExamples[path.join('.')];
    if (example === undefined && own.type === 'object' && own.properties === undefined && path.length === 1)
      return [];
    return [
      `| \`${shown(path, part)}\` | ${cell(typeOf(own))} | ${usual(own, needed)} | ${cell(descriptionOf(own))} | ${example === undefined ? '' : `\`${cell(example)}\``} |`,
    ];
  });
  const named = keyExamples[`${part}.*`];
  if (named !== undefined && !told.some(({ path }) => path.join('.') === `${part}.*`))
    lines.unshift(
      `| \`NAME\` | ${cell(typeOf(root.properties![part].additionalProperties as Part))} | | ${cell(descriptionOf(root.properties![part].additionalProperties as Part))} | \`${cell(named)}\` |`,
    );
  return `| key | what it is | when left out | what it says | example |\n| --- | --- | --- | --- | --- |\n${lines.join('\n')}\n`;
}

const text = readFileSync(fileURLToPath(new URL('study-page.md', import.meta.url)), 'utf8').replace(
  /<!-- keys: ([a-z ]+) -->/g,
  (_, part: string) => table(part).trimEnd(),
);
writeFileSync(process.argv[2] ?? fileURLToPath(new URL('../docs/study-file.md', import.meta.url)), text);
