import type { Account } from '../core/account.ts';
import type { Finding } from '../core/findings.ts';
import type { Table } from '../core/layer/layer.ts';
import type { Mark } from '../core/table/marks.ts';
import type { Opened } from '../formats/contents.ts';
import type { MapExtract } from '../formats/osm/primitives.ts';
import type { Scratch } from '../formats/writing/target.ts';
import type { Store } from '../sources/store.ts';

/** Told what happens, as it happens; the command line prints it, tests collect it. */
export interface Reporter {
  stage(words: string): void;
  say(words: string): void;
  note(words: string): void;
  finding(finding: Finding): void;
  progress(what: string, bytes: number): void;
}

/** How the tables of a file are to be read. */
export interface Reading {
  marks?: readonly Mark[];
  rowsAt?: string;
}

/** Everything a study needs of the machine it runs on; injected, so that the study itself knows no Node. */
export interface Machine {
  /** The study folder. */
  store: Store;
  /** Opens a file of the study folder. */
  open(path: string, reading?: Reading): Promise<Opened[]>;
  /** Saves layers into a file of the study folder, by its ending. */
  /** Opens a map extract of the study folder. */
  extract(path: string): Promise<MapExtract>;
  /** Room outside memory for what is put aside. */
  scratch?: () => Scratch;
  save(tables: readonly Table[], path: string, now: string): Promise<Account[]>;
  writeBytes(path: string, bytes: Uint8Array): Promise<void>;
  /** SVG → PNG at the given width in pixels. */
  png(svg: string, width: number): Promise<Uint8Array>;
  fetch: typeof fetch;
  now(): string;
  environment(name: string): string | undefined;
  reporter: Reporter;
}

export const silentReporter: Reporter = { stage() {}, say() {}, note() {}, finding() {}, progress() {} };

export async function writeText(machine: Machine, path: string, text: string): Promise<void> {
  await machine.writeBytes(path, new TextEncoder().encode(text));
}

export async function readText(machine: Machine, path: string): Promise<string | null> {
  const source = await machine.store.open(path);
  return source === null ? null : new TextDecoder().decode(await source.bytes(0, source.size));
}
