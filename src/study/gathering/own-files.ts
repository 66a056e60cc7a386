import { counted, grouped } from '../../core/account.ts';
import type { Receipt } from '../../sources/receipt.ts';
import type { Machine } from '../machine.ts';
import type { Gathering } from './source-context.ts';

/** What the ledger calls the study folder itself as a source. */
export const ownFolder = 'the study folder';

/**
 * Receipts of the files that lie in the study folder: nobody sent them, and yet a map is made of them. Each has its
 * checksum, and the date at which it was first seen so.
 */
export async function receiveOwnFiles(names: readonly string[], gathering: Gathering): Promise<void> {
  const { study, machine, ledger } = gathering;
  const own = names.filter((name) => {
    const { from, file, 'same as': same } = study.gather[name];
    return from === undefined && same === undefined && file !== undefined;
  });
  for (const name of own) {
    const { file, citation, licence } = study.gather[name];
    const receipts: Receipt[] = [];
    let fresh = 0;
    let shared = 0;
    for (const path of await filesOf(file!, machine)) {
      const before = ledger.receipts.get(path);
      const sha256 = (await machine.store.checksum(path))!;
      const unchanged = before?.sha256 === sha256;
      if (!unchanged) fresh++;
      else if (gathering.entered.has(path)) shared++;
      gathering.entered.add(path);
      const datasets = new Set([...(before?.datasets ?? []).filter((each) => own.includes(each)), name]);
      receipts.push({
        kind: 'file',
        what: `${ownFolder}: ${path}`,
        datasets: [...datasets],
        role: 'data',
        path,
        url: path,
        at: unchanged ? before.at : machine.now(),
        bytes: (await machine.store.open(path))!.size,
        sha256,
        licence: licence ?? before?.licence,
        citation: citation ?? (unchanged && datasets.size > 1 ? before.citation : undefined),
      });
    }
    await ledger.add(machine, ...receipts, {
      kind: 'dataset',
      name,
      source: ownFolder,
      state: 'done',
      at: machine.now(),
      request: { file },
      paths: receipts.map(({ path }) => path),
    });
    const bytes = receipts.reduce((sum, receipt) => sum + receipt.bytes, 0);
    machine.reporter.say(
      `Gather: ${name} from ${ownFolder}; ${counted(receipts.length, 'file', 'files')}, ${grouped(bytes)} bytes, ${fresh > 0 ? 'entered in the ledger' : shared > 0 ? 'in the ledger already' : 'unchanged since the last run'}.`,
    );
    if (receipts.every((receipt) => receipt.citation === undefined)) gathering.uncited.push(name);
  }
}

/** The files that a path stands for: itself, the parts that go with it (`wards.dbf` with `wards.shp`), all of a folder. */
async function filesOf(path: string, { store }: Machine): Promise<string[]> {
  const parts = path.split('/').filter((part) => part !== '.' && part !== '');
  for (let length = parts.length; length > 0; length--) {
    const file = parts.slice(0, length).join('/');
    if ((await store.open(file)) === null) continue;
    const folder = parts.slice(0, length - 1).join('/');
    return [...new Set([file, ...(await partsBeside(file, folder, store))])].sort();
  }
  return store.list(parts.join('/'));
}

/** Formats that come in several files of one name, by the ending of the one that is named. */
const manyFiles: Readonly<Record<string, RegExp>> = {
  shp: /^(dbf|shx|prj|cpg|qpj|sbn|sbx|shp\.xml)$/i,
  mif: /^(mid)$/i,
  tif: /^(tfw|tif\.aux\.xml|prj)$/i,
};

async function partsBeside(file: string, folder: string, store: Machine['store']): Promise<string[]> {
  const dot = file.lastIndexOf('.');
  const ending = file.slice(dot + 1).toLowerCase();
  const wanted = Object.hasOwn(manyFiles, ending) ? manyFiles[ending] : undefined;
  if (wanted === undefined) return [];
  const stem = file.slice(0, dot + 1);
  const beside = await store.list(folder === '' ? '.' : folder);
  return beside.filter((other) => other.startsWith(stem) && wanted.test(other.slice(stem.length)));
}
