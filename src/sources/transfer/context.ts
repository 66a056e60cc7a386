import type { Receipt } from '../receipt.ts';
import type { Store } from '../store.ts';
import type { Credentials } from './credentials.ts';
import type { HostGate } from './hosts.ts';

/**
 * The web platform's fetch, or one that behaves alike and hands over bodies as they were sent: with `rawBodies`, a
 * content encoding is still on, and is undone and checked here.
 */
export type Fetch = typeof fetch & { rawBodies?: boolean };

/** How far a dataset is; kept up to date while it comes. */
export interface Meter {
  bytes: number;
  /** Bytes that are announced in all. */
  totalBytes?: number;
  features: number;
  totalFeatures?: number;
  /** Bytes of descriptions and states, which are no data. */
  asked?: number;
  /** How far it is from 0 to 1, where neither bytes nor features say it. */
  share?: number;
  /** What is being waited for, in words: `order is at 40 %`. */
  state?: string;
}

/** A file of the store that is being received, or has been, in this run. */
export interface Claim {
  owner: TransferContext;
  url: string;
  datasets: Set<string>;
  done: Promise<unknown>;
}

/** What transfers need of the machine and of the study. */
export interface TransferContext {
  store: Store;
  fetch: Fetch;
  /** ISO 8601. */
  now(): string;
  /** Waits so many milliseconds; tests do not. */
  sleep(milliseconds: number): Promise<void>;
  /** Receipts of earlier runs, by path. */
  earlier: ReadonlyMap<string, Receipt>;
  /** True when nothing that is there counts: everything is asked for anew. */
  anew?: boolean;
  /** Files of this dataset that came in a run that was broken off: they are taken as they lie. */
  continuing: ReadonlySet<string>;
  /** Told of every file as soon as it is whole. @param came false where the copy at hand was still current */
  keep(receipt: Receipt, came: boolean): Promise<void>;
  /** Files of this run, with the context that asked for each: two that mean different things by one are refused. */
  claims: Map<string, Claim>;
  credentials: Credentials;
  hosts: HostGate;
  meter: Meter;
  /** Told whenever the meter has moved. */
  progress(): void;
  /** Told what a person should know of the dataset; said together with its account. */
  note(words: string): void;
  /** Told what a person should know at once: why nothing moves. */
  aside(words: string): void;
  /** Small documents that were asked for in this run, by address. */
  documents: Map<string, Promise<unknown>>;
  /** Milliseconds without a byte after which a connection counts as dead. */
  patience: number;
  /** How often a request is tried before giving up. */
  tries: number;
  /** Longest pause in milliseconds that a service may ask for; beyond it the source is left for a later run. */
  longestWait: number;
  /** Milliseconds that an order at a provider is waited for; beyond it a later run fetches it. */
  longestOrder: number;
}

/** One address that is asked. */
export interface Request {
  /** `boundary-office/wards` */
  what: string;
  url: string;
  method?: 'GET' | 'POST' | 'HEAD';
  /** Body of a POST, with its media type. */
  body?: { type: string; text: string };
  /** What is asked for: `application/geo+json`. */
  accept?: string;
  /** Headers besides: `Prefer`. */
  headers?: Readonly<Record<string, string>>;
  /** Statuses that are no refusal for who asks. */
  allow?: readonly number[];
  /** Bytes must not be packed on their way: ranges and lengths then mean the file itself. */
  plain?: boolean;
  /** Asking twice would do something twice: an order. */
  once?: boolean;
  /** What comes is a description, and counts as no data. */
  description?: boolean;
  /** A web page is what is wanted, and no sign of trouble. */
  page?: boolean;
  /** Said when the thing is not there. */
  missing?: string;
}
