import { resolve } from 'node:path';
import type { Reporter } from '../study/machine.ts';
import { type Machine, silentReporter } from '../study/machine.ts';
import { nodeMachine } from './machine.ts';

/** What a unit of a series has for itself; all else is that of the study that it is one of. */
const own = /^(prepared|delivered|incoming)(\/|$)|^(study\.yaml|ledger\.jsonl|\.running)$/;

/** The machine of one unit of a series: it reads what was gathered for all, and writes into its own folder. */
export function unitMachine(study: string, folder: string, reporter: Reporter = silentReporter): Machine {
  const whole = nodeMachine(study, reporter);
  const unit = nodeMachine(resolve(study, folder), reporter);
  const of = (path: string) => (own.test(path) ? unit : whole);
  return {
    ...unit,
    // A getter is lost when members are copied.
    version: unit.version,
    store: {
      ...unit.store,
      open: (path) => of(path).store.open(path),
      checksum: (path) => of(path).store.checksum(path),
      list: (path) => of(path).store.list(path),
    },
    open: (path, reading) => of(path).open(path, reading),
    extract: (path) => of(path).extract(path),
    local: (path) => whole.local(path),
    localNames: (path) => whole.localNames(path),
    localChecksum: (path) => whole.localChecksum(path),
  };
}
