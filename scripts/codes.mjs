/**
 * All codes of errors and findings, read from the code itself: where `new IsomericError('code', words, { advice })` and
 * finding objects `{ code, severity, words, repair }` stand, with their words and what they advise.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseAst } from 'rolldown/parseAst';

const source = fileURLToPath(new URL('../src', import.meta.url));

/** Calls `see` for every node of a syntax tree. */
function walk(node, see) {
  if (node === null || typeof node !== 'object') return;
  if (Array.isArray(node)) {
    for (const each of node) walk(each, see);
    return;
  }
  if (typeof node.type === 'string') see(node);
  for (const [key, value] of Object.entries(node)) if (key !== 'parent') walk(value, see);
}

/** Texts that an expression may give; what is put in stands as “…”. None for what is no text. */
function texts(node) {
  switch (node?.type) {
    case 'Literal':
      return typeof node.value === 'string' ? [node.value] : [];
    case 'TemplateLiteral':
      return [node.quasis.map((part) => part.value.cooked).join('…')];
    case 'ConditionalExpression':
      return [...texts(node.consequent), ...texts(node.alternate)];
    case 'LogicalExpression':
      return [...texts(node.left), ...texts(node.right)];
    case 'BinaryExpression': {
      if (node.operator !== '+') return [];
      const [left, right] = [texts(node.left), texts(node.right)];
      return (left.length === 0 ? ['…'] : left).flatMap((a) =>
        (right.length === 0 ? ['…'] : right).map((b) => a + b),
      );
    }
    case 'TSAsExpression':
    case 'TSNonNullExpression':
    case 'ParenthesizedExpression':
      return texts(node.expression);
    default:
      return [];
  }
}

/** Advice that is worked out: the nearest right words. */
const suggests = (node) =>
  node?.type === 'CallExpression' && /^(suggest|nearest)/.test(node.callee.name ?? '');

const isCode = (text) => /^[a-z]+(-[a-z0-9]+)+$/.test(text);
const member = (object, name) =>
  object?.type === 'ObjectExpression'
    ? object.properties.find((each) => each.type === 'Property' && (each.key.name ?? each.key.value) === name)
        ?.value
    : undefined;

/** Code → what is known of it. */
export function codes() {
  const found = new Map();
  const entry = (code) => {
    if (!found.has(code))
      found.set(code, {
        code,
        error: false,
        severities: new Set(),
        words: new Set(),
        cures: new Set(),
        rooms: new Set(),
      });
    return found.get(code);
  };
  for (const file of readdirSync(source, { recursive: true }).sort()) {
    if (!file.endsWith('.ts') || file.endsWith('.d.ts') || file.includes('.generated.')) continue;
    // Projections are named like codes.
    if (file.includes('projections')) continue;
    const text = readFileSync(join(source, file), 'utf8');
    const room = file.split(/[\\/]/).slice(0, -1).join('/');
    walk(parseAst(text, { lang: 'ts' }), (node) => {
      // Errors, and functions of a file that make them: their first argument is a code, the second its words.
      if (node.type === 'NewExpression' || node.type === 'CallExpression') {
        const [first, words, more] = node.arguments;
        const named = texts(first).filter(isCode);
        if (named.length === 0) return;
        const made = node.type === 'NewExpression' && node.callee.name === 'IsomericError';
        const told = texts(words).filter((each) => /\s/.test(each));
        if (!made && told.length === 0) return;
        for (const code of named) {
          const known = entry(code);
          known.error = true;
          known.rooms.add(room);
          for (const each of told) known.words.add(each);
          for (const each of [
            ...texts(member(more, 'advice')),
            ...(more?.type === 'ObjectExpression' ? [] : texts(more)),
          ])
            if (/\s/.test(each)) known.cures.add(each);
          if (suggests(member(more, 'advice')) || suggests(more))
            known.cures.add('Did you mean “…”? (The message names the nearest right words.)');
        }
      }
      if (node.type === 'ObjectExpression') {
        const named = texts(member(node, 'code')).filter(isCode);
        const severity = texts(member(node, 'severity'));
        const words = texts(member(node, 'words'));
        if (named.length === 0 || (severity.length === 0 && words.length === 0)) return;
        for (const code of named) {
          const known = entry(code);
          for (const each of severity) known.severities.add(each);
          known.rooms.add(room);
          for (const each of words) known.words.add(each);
          for (const each of texts(member(node, 'repair'))) known.cures.add(each);
        }
      }
    });
  }
  return [...found.values()].sort((a, b) => (a.code < b.code ? -1 : 1));
}
