import { IsomericError } from '../../core/errors.ts';
import { secretsIn } from '../../sources/secrets.ts';
import type { Meter, TransferContext } from '../../sources/transfer/context.ts';
import { Credentials, type SecretParts } from '../../sources/transfer/credentials.ts';
import type { HostGate } from '../../sources/transfer/hosts.ts';
import type { Study } from '../file/schema.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';

export interface GatherOptions {
  /** Milliseconds without a byte before a service counts as dead. */
  patience?: number;
  tries?: number;
  /** Longest pause in milliseconds that a service may ask for. */
  longestWait?: number;
  /** Milliseconds that orders at providers are waited for. */
  longestOrder?: number;
  /** Datasets that are gathered anew, also where later runs keep what was received. */
  again?: readonly string[];
  /** Other addresses for sources, by name. */
  addresses?: Record<string, string>;
}

/** What all datasets of one gathering share. */
export interface Gathering {
  study: Study;
  machine: Machine;
  ledger: Ledger;
  options: GatherOptions;
  hosts: HostGate;
  documents: Map<string, Promise<unknown>>;
  claims: TransferContext['claims'];
  /** Datasets of the study folder of which nothing says where they come from. */
  uncited: string[];
  /** Files of the study folder that were looked at in this run. */
  entered: Set<string>;
}

/** Address of a source: what the options say in place of the study, else what the study says. */
export function addressOf(study: Study, source: string, options: GatherOptions): string {
  return options.addresses?.[source] ?? study.sources[source].at;
}

function secret(source: string, variable: string, what: string, machine: Machine): string {
  const value = machine.environment(variable);
  if (value !== undefined && value !== '') return value;
  throw new IsomericError(
    'key-missing',
    `${source} wants ${what}, but the environment variable ${variable} is not set.`,
    { advice: `Set ${variable} and run again.`, blame: 'usage' },
  );
}

/** HTTP Basic (RFC 7617) in UTF-8. */
function basic(user: string, password: string): string {
  const bytes = new TextEncoder().encode(`${user}:${password}`);
  return `Basic ${btoa(String.fromCharCode(...bytes))}`;
}

/** Keys and accounts of a source, from the environment. */
export function credentialsOf(
  study: Study,
  source: string,
  machine: Machine,
  options: GatherOptions,
  names: readonly string[] = [],
): Credentials {
  const { key, account } = study.sources[source];
  const headers: Record<string, string> = {};
  const parameters: Record<string, string> = {};
  // What was pasted into the study itself is no secret of the environment, but goes no further either.
  const also = [study.sources[source].at, ...names.map((name) => study.gather[name]?.file ?? '')].flatMap(
    secretsIn,
  );
  if (key !== undefined) {
    const value = secret(source, key.variable, 'a key', machine);
    also.push(value);
    if (key.header !== undefined)
      headers[key.header.toLowerCase()] = key.scheme === undefined ? value : `${key.scheme} ${value}`;
    else parameters[key.parameter!] = value;
  }
  if (account !== undefined) {
    const user = secret(source, account.user, 'an account', machine);
    const password = secret(source, account.password, 'the password of an account', machine);
    headers.authorization = basic(user, password);
    also.push(password);
  }
  const parts: SecretParts = { headers, parameters };
  return new Credentials(addressOf(study, source, options), parts, also);
}

/** What one dataset needs to be transferred. */
export function contextFor(
  gathering: Gathering,
  source: string,
  names: readonly string[],
  notes: string[],
): TransferContext {
  const { study, machine, ledger, options } = gathering;
  const meter: Meter = { bytes: 0, features: 0 };
  const counts = countsUsage(study, source);
  const credentials = credentialsOf(study, source, machine, options, names);
  return {
    store: machine.store,
    fetch: machine.fetch,
    now: () => machine.now(),
    sleep: (milliseconds) => machine.sleep(milliseconds),
    earlier: ledger.receipts,
    anew: names.some((name) => options.again?.includes(name)),
    continuing: new Set(names.flatMap((name) => [...ledger.cameSince(name)])),
    async keep(receipt, came) {
      await ledger.add(
        machine,
        receipt,
        ...(counts && came
          ? [
              {
                kind: 'usage' as const,
                source,
                month: machine.now().slice(0, 7),
                features: receipt.features ?? 0,
                bytes: receipt.bytes,
              },
            ]
          : []),
      );
    },
    credentials,
    hosts: gathering.hosts,
    meter,
    progress: () => machine.reporter.progress(names[0], meter),
    note(words) {
      const told = credentials.conceal(words);
      if (!notes.includes(told)) notes.push(told);
    },
    aside: (words) => machine.reporter.note(credentials.conceal(words)),
    documents: gathering.documents,
    claims: gathering.claims,
    patience: options.patience ?? 60_000,
    tries: options.tries ?? 4,
    longestWait: options.longestWait ?? 300_000,
    longestOrder: options.longestOrder ?? 3_600_000,
  };
}

/** Does the study say what the provider allows in a month? */
export function countsUsage(study: Study, source: string): boolean {
  const { limits } = study.sources[source];
  return limits['features a month'] !== undefined || limits['bytes a month'] !== undefined;
}
