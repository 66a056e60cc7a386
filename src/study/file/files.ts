import { suggest } from '../../core/nearest.ts';
import { looksLikeWkt } from '../../formats/geometry/wkt.ts';
import { type Mistake, SettingsError } from '../../formats/settings/mistake.ts';
import type { Path } from '../../formats/settings/places.ts';
import { isSchemeFile } from '../../formats/sheet-scheme/names.ts';
import { partsOfArea } from '../area/schema.ts';
import type { Machine } from '../machine.ts';
import type { Study } from './schema.ts';
import { isCrsFile } from './values.ts';

/** Folders that a run makes itself: nobody means a file in them. */
const own =
  /^(gathered|prepared|delivered|incoming)\/|(^|\/)\.|^(study\.yaml|study\.schema\.json|ledger\.jsonl)$/;

/** Files of the study folder that a study names, and where. */
export function filesNamed(study: Study): { path: Path; file: string; makes?: string }[] {
  const named: { path: Path; file: string; makes?: string }[] = [];
  if (isCrsFile(study.crs)) named.push({ path: ['crs'], file: study.crs });
  study['datum grids'].forEach((file, k) => {
    named.push({ path: ['datum grids', k], file });
  });
  for (const { part, path } of partsOfArea(study.area)) {
    const { polygon, sheets } = part;
    if (typeof polygon === 'string' && !looksLikeWkt(polygon) && !polygon.trimStart().startsWith('{'))
      named.push({ path: ['area', ...path, 'polygon'], file: polygon });
    if (sheets !== undefined && isSchemeFile(sheets.of))
      named.push({ path: ['area', ...path, 'sheets', 'of'], file: sheets.of });
  }
  for (const [path, scheme] of schemesNamed(study))
    if (isSchemeFile(scheme))
      named.push({ path, file: scheme, makes: `isomeric sheets SCHEME --out ${scheme}` });
  for (const [name, { from, file, crs, scheme }] of Object.entries(study.gather)) {
    // What a dataset has from another, whose files it reads, is told there.
    const said = (key: string) => study.written.has(['gather', name, key]);
    if (from === undefined && file !== undefined && said('file'))
      named.push({ path: ['gather', name, 'file'], file });
    if (crs !== undefined && isCrsFile(crs) && said('crs'))
      named.push({ path: ['gather', name, 'crs'], file: crs });
    if (scheme !== undefined && said('scheme'))
      named.push({
        path: ['gather', name, 'scheme'],
        file: scheme,
        makes: `isomeric scheme --out ${scheme}`,
      });
  }
  return named;
}

/** Where sheet schemes are named beside the ways to say an area. */
function schemesNamed(study: Study): [Path, string][] {
  const told = study.area['on sheets'];
  const found: [Path, string][] = told === undefined ? [] : [[['area', 'on sheets', 'of'], told.of]];
  for (const [name, { 'by sheet': sheets }] of Object.entries(study.gather))
    if (sheets !== undefined && study.written.has(['gather', name, 'by sheet']))
      found.push([['gather', name, 'by sheet', 'of'], sheets.of]);
  return found;
}

/** Raises what a study names of its folder and is not there, all of it, before anything is gathered. */
export async function requireFiles(study: Study, machine: Machine): Promise<void> {
  const mistakes: Mistake[] = [];
  for (const { path, file, makes } of filesNamed(study)) {
    const place = study.written.value(path);
    if (leadsOut(file)) {
      const [folder, name] = [file.slice(0, file.lastIndexOf('/')), file.slice(file.lastIndexOf('/') + 1)];
      mistakes.push({
        code: 'path-outside',
        words: `The path ${file} leads out of the study folder.`,
        advice:
          path[0] === 'gather' && path[2] === 'file'
            ? `Name the folder as a source: “sources: { mine: { kind: files, at: "${folder}" } }”, then “from: mine” and “file: ${name}” here.`
            : 'Copy it into the study folder.',
        place,
        rank: 'value',
      });
    } else if (!(await isThere(file, machine))) {
      const others = (await machine.store.list('.')).filter((each) => !own.test(each));
      mistakes.push({
        code: 'file-missing',
        words: `There is no file ${file} in the study folder.`,
        advice: makes === undefined ? suggest(file, others) : `Make one with “${makes}”.`,
        place,
        rank: 'value',
      });
    }
  }
  if (mistakes.length > 0) throw new SettingsError(mistakes, 'study');
}

/** Does a path climb out of the folder it is in? */
function leadsOut(path: string): boolean {
  if (/^([/\\]|[a-z]:[/\\])/i.test(path)) return true;
  let depth = 0;
  for (const part of path.split(/[/\\]/)) {
    depth += part === '..' ? -1 : part === '.' || part === '' ? 0 : 1;
    if (depth < 0) return true;
  }
  return false;
}

/** A file, a folder with files, or a path into an archive that is there. */
async function isThere(path: string, { store }: Machine): Promise<boolean> {
  const parts = path.split('/');
  for (let length = parts.length; length > 0; length--)
    if ((await store.open(parts.slice(0, length).join('/'))) !== null) return true;
  return (await store.list(path)).length > 0;
}
