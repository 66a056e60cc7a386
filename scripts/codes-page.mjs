/** Makes docs/codes.md, the page of all codes: `npm run codes-page`. Another file can be named. */
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { codes } from './codes.mjs';

const path = (relative) => fileURLToPath(new URL(relative, import.meta.url));
const settingsFolder = path('../src/formats/settings');
const settingsSource = readdirSync(settingsFolder)
  .map((name) => readFileSync(`${settingsFolder}/${name}`, 'utf8'))
  .join('\n');
const cures = JSON.parse(readFileSync(path('code-cures.json'), 'utf8'));

/** Rooms of the code as users know them. */
const areas = [
  ['core/crs', 'CRSs'],
  ['core/geometry', 'Geometry'],
  ['core/checks', 'Checks'],
  ['core/mapping', 'Maps'],
  ['core/grid', 'Grids'],
  ['core/table', 'Tables and expressions'],
  ['core/class-scheme', 'Map features'],
  ['formats/class-scheme', 'Map features'],
  ['formats/osm', 'Map features'],
  ['core', 'Verbs'],
  ['verbs', 'Verbs'],
  ['formats', 'Files and formats'],
  ['sources', 'Gathering'],
  ['study/gathering', 'Gathering'],
  ['study', 'Studies'],
  ['library', 'The library'],
  ['node', 'Files and formats'],
  ['cli', 'The command line'],
];
const order = [
  'The command line',
  'The library',
  'Studies',
  'Gathering',
  'Files and formats',
  'Tables and expressions',
  'Verbs',
  'Geometry',
  'CRSs',
  'Grids',
  'Checks',
  'Maps',
  'Map features',
];
const floors = ['core', 'verbs', 'formats', 'sources', 'study', 'library', 'node', 'cli'];
const rank = (room) => floors.indexOf(room.split('/')[0]);
const areaOf = ({ rooms }) => {
  // What several rooms say belongs to the lowest of them.
  const [room] = [...rooms].sort((a, b) => rank(a) - rank(b) || (a < b ? -1 : 1));
  return areas.find(([start]) => room === start || room.startsWith(`${start}/`))[1];
};

const cell = (text) =>
  text
    .replace(/\s+/g, ' ')
    .replaceAll('|', '\\|')
    .replace(/[<>]/g, (sign) => (sign === '<' ? '&lt;' : '&gt;'));
const ended = (text) => (/[.!?”)`]$/.test(text.trim()) ? text.trim() : `${text.trim()}.`);
/** Not of what is to be written as it stands: `crs: …`. */
const upper = (text) => text.replace(/^\p{Ll}(?!\w*:)/u, (letter) => letter.toUpperCase());
/** At most three ways of saying it. */
const some = (texts) =>
  [...new Set([...texts].map((text) => ended(upper(cell(text)))))].slice(0, 3).join(' / ');

function kindOf({ error, severities }) {
  const found = ['error', 'warning', 'note'].filter((each) => severities.has(each));
  return [...(error ? ['stops'] : []), ...found.map((each) => `finding: ${each}`)].join(', ');
}

const noteOnly = ({ error, severities }) => !error && severities.size === 1 && severities.has('note');

function cureOf(entry) {
  const told = [...entry.cures, ...(cures[entry.code] === undefined ? [] : [cures[entry.code]])];
  if (told.length > 0) return some(told);
  return noteOnly(entry) ? 'Nothing: it is told so that you know.' : '';
}

const all = codes();
const without = all.filter((entry) => cureOf(entry) === '').map(({ code }) => code);
const stale = Object.keys(cures).filter((code) => !all.some((entry) => entry.code === code));
if (without.length > 0 || stale.length > 0) {
  if (without.length > 0) console.error(`Say in scripts/code-cures.json what cures: ${without.join(', ')}.`);
  if (stale.length > 0)
    console.error(`No code any more, take it out of scripts/code-cures.json: ${stale.join(', ')}.`);
  process.exit(1);
}

/** Codes of files of settings are made of two parts, so they are not found in the code: formats/settings/. */
const settings = [
  [
    'syntax',
    'The text cannot be read: quotes, brackets, indentation.',
    'The message shows how it is written rightly.',
  ],
  ['encoding', 'The file is not written in UTF-8.', 'Save it as UTF-8 in your editor.'],
  ['unknown-word', 'A part has no key of that name.', 'The nearest one that it has is named.'],
  [
    'value',
    'A value is of the wrong kind, or none of those that may stand there.',
    'What may stand there is named.',
  ],
  ['code-number', 'A code without quotes is a number, and not what was written.', 'Put it in quotes.'],
  ['missing', 'A key that is needed is not there.', 'Write it; what it says is told.'],
  ['aliases', 'Its aliases stand for more than is sensible.', 'Write out what they stand for.'],
  [
    'nesting',
    'Lists and maps stand in one another, more than 100 deep.',
    'Look whether it is the right file.',
  ],
  ['too-long', 'The file is longer than anybody writes.', 'Look whether it is the right file.'],
];
for (const [code] of settings)
  if (!settingsSource.includes(`-${code}\``)) {
    console.error(`No code study-${code} is in src/formats/settings/ any more.`);
    process.exit(1);
  }

const sections = order.map((area) => {
  const rows = all
    .filter((entry) => areaOf(entry) === area)
    .map((entry) => {
      const words =
        entry.words.size === 0 ? 'The message says what is damaged, and where.' : some(entry.words);
      return `| <a id="${entry.code}"></a>\`${entry.code}\` | ${kindOf(entry) || 'stops'} | ${words} | ${cureOf(entry)} |`;
    });
  return rows.length === 0
    ? ''
    : `## ${area}\n\n| Code | What it does | What it says | What cures it |\n| --- | --- | --- | --- |\n${rows.join('\n')}\n`;
});

writeFileSync(
  process.argv[2] ?? path('../docs/codes.md'),
  `# Codes of errors and findings

Every error and every finding has a code that stays the same, whatever becomes of its words: in \`--json\`, in \`IsomericError.code\`, in
the findings of a report. An error stops what was asked; a finding is told, and the work goes on. “…” stands for what is put in.

<!-- Made by npm run codes-page from the code. Do not edit. -->

${sections.filter((each) => each !== '').join('\n')}
## Studies and class schemes as texts

They are read alike; \`study\` or \`scheme\` stands before each code. All mistakes are told at once, in \`failures\`.

| Code | What it says | What cures it |
| --- | --- | --- |
${settings.map(([code, words, cure]) => `| \`study-${code}\`, \`scheme-${code}\` | ${words} | ${cure} |`).join('\n')}
`,
);
console.log(`Codes: ${all.length} described.`);
