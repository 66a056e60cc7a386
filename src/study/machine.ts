import type { Account } from '../core/account.ts';
import type { Finding } from '../core/findings.ts';
import type { Table } from '../core/layer/layer.ts';
import type { Mark } from '../core/table/marks.ts';
import type { ByteSource } from '../formats/bytes/byte-source.ts';
import type { Opened } from '../formats/opening/contents.ts';
import type { MapExtract } from '../formats/osm/reading/primitives.ts';
import type { Scratch } from '../formats/writing/target.ts';
import type { Store } from '../sources/store.ts';
import type { Fetch, Meter } from '../sources/transfer/context.ts';

/** Told what happens, as it happens; the command line prints it, tests collect it. */
export interface Reporter {
  /** Told that a stage begins. */
  stage(words: string): void;
  /** Told a sentence. */
  say(words: string): void;
  /** Told what belongs to the last sentence. */
  note(words: string): void;
  /** Told of a finding. */
  finding(finding: Finding): void;
  /** How far a dataset is; null when it has come or failed. */
  progress(what: string, meter: Meter | null): void;
}

/** How the tables of a file are to be read. */
export interface Reading {
  marks?: readonly Mark[];
  rowsAt?: string;
  headerRows?: number;
}

/** Everything a study needs of the machine it runs on; injected, so that the study itself knows no Node. */
export interface Machine {
  /** The study folder. */
  store: Store;
  /** Opens a file of the study folder. */
  open(path: string, reading?: Reading): Promise<Opened[]>;
  /** Opens a map extract of the study folder. */
  extract(path: string): Promise<MapExtract>;
  /** A file of this machine that need not lie in the study folder; null when there is none. */
  local(path: string): Promise<ByteSource | null>;
  /** SHA-256 of such a file (hexadecimal), or null. */
  localChecksum(path: string): Promise<string | null>;
  /** Names of the files in a folder that need not lie in the study folder; none where there is no such folder. */
  localNames(folder: string): Promise<string[]>;
  /** What a device sends: `tcp://host:port`, `serial:/dev/ttyUSB0`. @throws IsomericError `receiver-…` where it cannot be reached */
  listen(address: string): Promise<AsyncIterable<Uint8Array>>;
  /** Room outside memory for what is put aside. */
  scratch?: () => Scratch;
  /** Saves layers into a file of the study folder, by its ending. */
  save(
    tables: readonly Table[],
    path: string,
    now: string,
  ): Promise<{ accounts: Account[] /** Paths of all files that were written. */; files: string[] }>;
  /** Writes a file of the study folder. */
  writeBytes(path: string, bytes: Uint8Array): Promise<void>;
  /** The same, while its bytes come: whole or not at all. */
  writeStream(path: string, chunks: AsyncIterable<Uint8Array>): Promise<void>;
  /** Gives a file of the study folder another place in it; what stands there gives way. */
  move(from: string, to: string): Promise<void>;
  /** The same bytes in another place of the study folder. */
  copy(from: string, to: string): Promise<void>;
  /** Which Isomeric this is: the same says that the same is made of the same. */
  version: string;
  /** Adds text at the end of a file of the study folder. */
  append(path: string, text: string): Promise<void>;
  /** Takes the study folder for this run alone, clears away what a run that was killed left; ends with the result. */
  claim(): Promise<() => Promise<void>>;
  /** SVG → PNG at the given width in pixels. */
  png(svg: string, width: number): Promise<Uint8Array>;
  fetch: Fetch;
  /** Waits so many milliseconds. */
  sleep(milliseconds: number): Promise<void>;
  /** The time now, as ISO 8601 in UTC. */
  now(): string;
  /** The value of a variable of the environment. */
  environment(name: string): string | undefined;
  reporter: Reporter;
}

/** A reporter that keeps all to itself. */
export const silentReporter: Reporter = { stage() {}, say() {}, note() {}, finding() {}, progress() {} };

export async function writeText(machine: Machine, path: string, text: string): Promise<void> {
  await machine.writeBytes(path, new TextEncoder().encode(text));
}

export async function readText(machine: Machine, path: string): Promise<string | null> {
  const source = await machine.store.open(path);
  return source === null ? null : new TextDecoder().decode(await source.bytes(0, source.size));
}
