import { dictionary } from '../core/dictionary.ts';
import { IsomericError } from '../core/errors.ts';
import { nearestWord } from '../core/nearest.ts';

/** What people of the trade call a thing → what to say to them. */
const elsewhere: Readonly<Record<string, string>> = dictionary({
  aggregate: 'group',
  convert: 'save',
  describe: 'look',
  draw: 'run',
  export: 'save',
  fetch: 'run',
  filter: 'where',
  gather: 'run',
  info: 'look',
  inspect: 'look',
  keyfinder: 'keys',
  match: 'keys',
  init: 'new',
  map: 'run',
  maps: 'run',
  project: 'reproject',
  query: 'rows',
  show: 'look',
  stats: 'rows',
  transform: 'reproject',
  validate: 'check',
  view: 'look',
});

const why: Readonly<Record<string, string>> = dictionary({
  run: 'Gathering and maps are parts of a study: “isomeric run FOLDER” makes them all, “--only draw” the maps alone.',
  rows: 'Rows, and with --summary their figures, are shown by “isomeric rows FILE”.',
});

/** What is told of a command that there is not: the near name, or where the thing is done here. */
export function commandUnknown(name: string, names: readonly string[]): IsomericError {
  const near = nearestWord(name, names);
  const other = elsewhere[name.toLowerCase()];
  const advice =
    other === undefined
      ? near === undefined
        ? '“isomeric help” lists the commands.'
        : `Did you mean “${near}”?`
      : (why[other] ?? `It is done by “isomeric ${other}”.`);
  return new IsomericError('command-unknown', `There is no command “${name}”.`, { advice, blame: 'usage' });
}
