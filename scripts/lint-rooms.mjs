/**
 * Proves that no arrow between the rooms of the code runs upward: every import of `src` is resolved to its room, the
 * builtins of Node and what only Node has are refused below `node/`, packages must be declared, and no modules import each
 * other in a circle.
 */
import { readdirSync, readFileSync } from 'node:fs';
import { builtinModules } from 'node:module';
import { dirname, join, relative, sep } from 'node:path';
import { fileURLToPath } from 'node:url';

/** Another folder with a package and its `src` can be named. */
const root = process.argv[2] ?? fileURLToPath(new URL('..', import.meta.url));
const source = join(root, 'src');

/** From the lowest: a room may use itself and those before it. */
const rooms = ['core', 'verbs', 'formats', 'sources', 'study', 'library', 'node', 'cli'];
/** Rooms that run in a browser too. */
const portable = new Set(['core', 'verbs', 'formats', 'sources', 'study', 'library']);
const builtins = new Set(builtinModules.map((name) => name.replace(/^node:/, '')));

const { name: ownName, dependencies } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));

const statements =
  /(?:^|\n)\s*(?:import|export)\s+(type\s)?(?:[^'"`;()]*?\sfrom\s+)?['"]([^'"\n]+)['"]|\bimport\s*\(\s*(?:\/\*[\s\S]*?\*\/\s*)?['"]([^'"\n]+)['"]\s*\)/g;

/** Imports of a module: the specifier, its line, and whether it is needed when the module is loaded. */
function importsOf(text) {
  return [...text.matchAll(statements)].map((found) => ({
    specifier: found[2] ?? found[3],
    line: text.slice(0, found.index + found[0].length).split('\n').length,
    loaded: found[1] === undefined && found[3] === undefined,
  }));
}

/** Code without comments and texts, so that a word in a sentence is no use of a global. */
function bare(text) {
  return text.replace(/\/\*[\s\S]*?\*\/|\/\/[^\n]*|'(?:[^'\\\n]|\\.)*'|"(?:[^"\\\n]|\\.)*"/g, (found) =>
    found.replace(/[^\n]/g, ' '),
  );
}

const troubles = [];
const files = readdirSync(source, { recursive: true })
  .filter((path) => path.endsWith('.ts'))
  .map((path) => path.split(sep).join('/'))
  .sort();
const known = new Set(files);
const loads = new Map();

for (const file of files) {
  const text = readFileSync(join(source, file), 'utf8');
  const room = file.includes('/') ? file.slice(0, file.indexOf('/')) : null;
  const rank = rooms.indexOf(room);
  const tell = (line, words) => troubles.push(`src/${file}:${line}  ${words}`);
  if (room !== null && rank < 0) tell(1, `“${room}” is no room: ${rooms.join(', ')}.`);
  const next = new Set();
  loads.set(file, next);
  for (const { specifier, line, loaded } of importsOf(text)) {
    if (specifier.startsWith('#')) {
      // The one door through which the library reaches the machine that it runs on.
      if (specifier === '#host' && room === 'library') continue;
      if (portable.has(room) || room === null)
        tell(line, `${room ?? 'the front door'} imports ${specifier}, which is above it.`);
      continue;
    }
    if (specifier.startsWith('.')) {
      const target = relative(source, join(source, dirname(file), specifier))
        .split(sep)
        .join('/');
      if (!known.has(target)) {
        if (target.endsWith('.ts')) tell(line, `imports ${specifier}, which is not there.`);
        continue;
      }
      if (loaded) next.add(target);
      const theirs = target.includes('/')
        ? rooms.indexOf(target.slice(0, target.indexOf('/')))
        : rooms.length;
      if (room !== null && theirs > rank) tell(line, `${room} imports ${target}, which is above it.`);
      continue;
    }
    const parts = specifier.replace(/^node:/, '').split('/');
    if (specifier.startsWith('node:') || builtins.has(parts[0])) {
      if (portable.has(room) || room === null)
        tell(line, `${room ?? 'the front door'} imports ${specifier}: what Node can do is injected.`);
      continue;
    }
    const named = specifier.startsWith('@') ? parts.slice(0, 2).join('/') : parts[0];
    if (named === ownName)
      tell(line, `imports the package itself (${specifier}): use the path of the module.`);
    else if (!Object.hasOwn(dependencies, named))
      tell(line, `imports ${named}, which is no dependency of the package.`);
  }
  if (portable.has(room))
    for (const found of bare(text).matchAll(
      /(?<![\w.$])(process|Buffer|__dirname|__filename|require)\s*[.([]/g,
    ))
      tell(
        text.slice(0, found.index).split('\n').length,
        `${room} uses ${found[1]}, which only Node has: it is injected.`,
      );
}

/** Groups of modules of which each loads each (Tarjan's strongly connected components). */
function circles() {
  const index = new Map();
  const low = new Map();
  const stack = [];
  const standing = new Set();
  const found = [];
  const visit = (file) => {
    index.set(file, index.size);
    low.set(file, index.get(file));
    stack.push(file);
    standing.add(file);
    for (const next of loads.get(file)) {
      if (!index.has(next)) {
        visit(next);
        low.set(file, Math.min(low.get(file), low.get(next)));
      } else if (standing.has(next)) low.set(file, Math.min(low.get(file), index.get(next)));
    }
    if (low.get(file) !== index.get(file)) return;
    const circle = stack.splice(stack.indexOf(file));
    for (const each of circle) standing.delete(each);
    if (circle.length > 1) found.push(circle.sort());
  };
  for (const file of files) if (!index.has(file)) visit(file);
  return found;
}

for (const circle of circles())
  troubles.push(`src/${circle[0]}  is in a circle of imports: ${circle.join(', ')}.`);

for (const trouble of troubles) console.error(trouble);
const arrows = [...loads.values()].reduce((sum, next) => sum + next.size, 0);
console.log(
  `Rooms: ${files.length} modules, ${arrows} imports; ${troubles.length === 0 ? 'none upward, none in a circle' : `${troubles.length} that must not be`}.`,
);
if (troubles.length > 0) process.exitCode = 1;
