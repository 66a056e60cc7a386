// Patterns that try again and again on a text that is made for it: every regular expression of the sources is examined, and
// one that may take more than linear time must be mended, or stand in reviewed-patterns.json with why its texts are harmless.
import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { isSafe } from 'redos-detector';
import { parseAst, transformWithOxc } from 'vite';
import { root } from './setup.mjs';

const listed = join(root, 'scripts', 'reviewed-patterns.json');
const reviewed = existsSync(listed) ? JSON.parse(readFileSync(listed, 'utf8')) : {};

/** Source files of the library; those that are generated hold no patterns. */
const files = execFileSync('git', ['ls-files', '--cached', '--others', '--exclude-standard', 'src'], {
  cwd: root,
  encoding: 'utf8',
})
  .split('\n')
  .filter((file) => /\.ts$/.test(file) && !/\.d\.ts$|generated/.test(file) && existsSync(join(root, file)));

/** All regular expressions that are written out in a file. */
async function patternsIn(file) {
  const { code } = await transformWithOxc(readFileSync(join(root, file), 'utf8'), file);
  const found = [];
  const visit = (node) => {
    if (node === null || typeof node !== 'object') return;
    if (Array.isArray(node)) {
      node.forEach(visit);
      return;
    }
    if (node.type === 'Literal' && node.regex) found.push(node.regex);
    for (const [name, inner] of Object.entries(node)) if (name !== 'regex') visit(inner);
  };
  visit(parseAst(code));
  return found;
}

/** True when no text can make the pattern try again without end. */
function isLinear({ pattern, flags }) {
  try {
    return isSafe(new RegExp(pattern, flags), { maxScore: 200, maxSteps: 20_000, timeout: 60_000 }).safe;
  } catch {
    // What the examiner cannot read (named groups of one kind) is looked at by a person.
    return false;
  }
}

const doubtful = [];
const used = new Set();
let count = 0;
for (const file of files)
  for (const each of await patternsIn(file)) {
    count++;
    const key = `${file} ${each.pattern}`;
    // What was reviewed need not be examined again.
    if (reviewed[key] !== undefined) used.add(key);
    else if (!isLinear(each)) doubtful.push(key);
  }
const stale = Object.keys(reviewed).filter((key) => !used.has(key));
if (process.argv.includes('--list')) console.log(JSON.stringify(doubtful, null, 2));
for (const key of doubtful)
  console.error(
    `This pattern may take more than linear time; mend it, or say in scripts/reviewed-patterns.json why it is harmless:\n  ${key}`,
  );
for (const key of stale)
  console.error(`Reviewed, but not there any more: take it out of scripts/reviewed-patterns.json:\n  ${key}`);
if (doubtful.length + stale.length > 0) process.exit(1);
console.log(`Patterns: ${count} regular expressions; ${used.size} reviewed, the others linear.`);
