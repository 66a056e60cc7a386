/**
 * Functions that are too long to be read at once, and lists of parameters that nobody can tell apart by their places. Those
 * that are so on purpose stand in scripts/reviewed-functions.json, with the reason.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { join, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseAst } from 'rolldown/parseAst';

const root = fileURLToPath(new URL('..', import.meta.url));
const mostLines = 120;
const mostParameters = 8;
const reviewed = JSON.parse(readFileSync(join(root, 'scripts/reviewed-functions.json'), 'utf8'));
const used = new Set();
const troubles = [];
let count = 0;

function look(file, text) {
  const starts = [0];
  for (let k = 0; k < text.length; k++) if (text[k] === '\n') starts.push(k + 1);
  const lineOf = (at) => {
    let [low, high] = [0, starts.length];
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (starts[middle] <= at) low = middle;
      else high = middle;
    }
    return low + 1;
  };
  const visit = (node, name) => {
    if (node === null || typeof node !== 'object') return;
    if (Array.isArray(node)) {
      for (const each of node) visit(each, name);
      return;
    }
    const own =
      node.key?.name ?? node.id?.name ?? (node.type === 'VariableDeclarator' ? node.id?.name : undefined);
    const called = own ?? name;
    if (/Function/.test(node.type ?? '') && node.body !== null && node.body !== undefined) {
      count++;
      const [from, to] = [lineOf(node.start), lineOf(node.end)];
      const lines = to - from + 1;
      const parameters = node.params.length ?? node.params.items?.length ?? 0;
      const said = [
        ...(lines > mostLines ? [`has ${lines} lines`] : []),
        ...(parameters > mostParameters ? [`takes ${parameters} parameters by their places`] : []),
      ];
      if (said.length > 0) {
        const key = `${file} ${called ?? 'anonymous'}`;
        if (reviewed[key] !== undefined) used.add(key);
        else troubles.push(`${file}:${from}  ${called ?? 'a function'} ${said.join(' and ')}.`);
      }
    }
    for (const [key, value] of Object.entries(node)) if (key !== 'parent') visit(value, called);
  };
  visit(parseAst(text, { lang: file.endsWith('.tsx') ? 'tsx' : 'ts' }).body, undefined);
}

for (const folder of ['src', 'stand-ins/src', 'examples/study-viewer/src'])
  for (const name of readdirSync(join(root, folder), { recursive: true }).sort()) {
    if (!/\.tsx?$/.test(name) || /\.d\.ts$|\.generated\.ts$/.test(name)) continue;
    const file = `${folder}/${name.split(sep).join('/')}`;
    look(file, readFileSync(join(root, file), 'utf8'));
  }

for (const key of Object.keys(reviewed))
  if (!used.has(key))
    troubles.push(`${key}: reviewed, but not so any more; take it out of scripts/reviewed-functions.json.`);
for (const trouble of troubles) console.error(trouble);
console.log(
  `Functions: ${count}; ${troubles.length === 0 ? `none over ${mostLines} lines or ${mostParameters} parameters but ${used.size} reviewed` : `${troubles.length} to rethink`}.`,
);
if (troubles.length > 0) process.exitCode = 1;
