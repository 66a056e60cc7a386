/** What tests/formats/formats-in-browser.test.ts drives: every format written and read again in the page. */

import { buffer, gatherDataset, IsomericError, openLayer, prepare, save } from 'isomeric';
import { countRows, useThreads } from 'isomeric/core';
import {
  lookInside,
  memoryTarget,
  openAmong,
  sourceFromBlob,
  sourceFromBytes,
  surroundingsOf,
  writeTables,
  writingFormatFor,
} from 'isomeric/formats';
import type { DatasetRequest } from 'isomeric/sources';
import { browserDatabases, browserSqlite } from '../../examples/study-viewer/src/sqlite.ts';

import { sentences } from './sentences.ts';

const capabilities = { sqlite: browserSqlite };

export interface PageResult {
  files: string[];
  layers: { name: string; format: string; rows: number; vertices: number; first: string }[];
}

async function throughFormat(text: string, name: string): Promise<PageResult | { error: string }> {
  try {
    const source = sourceFromBlob(new Blob([text]), 'wards.geojson');
    const { layers } = await lookInside(source, { around: null, path: 'wards.geojson', capabilities });
    const target = memoryTarget(name, { database: await browserDatabases() });
    await writeTables(
      writingFormatFor(name),
      layers.map(({ table }) => table),
      target,
      { now: '2026-01-01T00:00:00.000Z' },
    );
    const files = target.files();
    const around = surroundingsOf(
      new Map([...files].map(([file, bytes]) => [file, sourceFromBytes(bytes, file)])),
    );
    const result: PageResult = { files: [...files.keys()].sort(), layers: [] };
    for (const { table, format } of await openAmong(around, [...files.keys()], { capabilities })) {
      const told = { name: table.name, format, rows: 0, vertices: 0, first: '' };
      for await (const batch of table.batches()) {
        told.rows += batch.length;
        told.vertices += batch.geometry?.vertexCount ?? 0;
        for (let i = 0; i < batch.length; i++) {
          const code = batch.columns[table.schema.findIndex((field) => field.name === 'code')].text(i)!;
          if (told.first === '' || code < told.first) told.first = code;
        }
      }
      result.layers.push(told);
    }
    return result;
  } catch (error) {
    return {
      error: error instanceof IsomericError ? error.sentence : String((error as Error).stack ?? error),
    };
  }
}

async function looked(bytes: number[], name: string): Promise<string[]> {
  const source = sourceFromBlob(new Blob([Uint8Array.from(bytes)]), name);
  const { layers } = await lookInside(source, { around: null, path: name, capabilities });
  const told: string[] = [];
  for (const { table, format, within } of layers)
    told.push(`${within} ${table.name} ${format} ${await countRows(table)}`);
  return told;
}

/** Gathers one dataset from a simulated service, with the browser's own fetch, and reads it. */
async function gathered(
  request: DatasetRequest,
  patience = 30_000,
): Promise<{ rows: number; files: string[]; sums: string[] }> {
  const { files, receipts } = await gatherDataset(request, { tries: 1, patience });
  let rows = 0;
  for (const file of files) {
    const { layers } = await lookInside(file, { around: null, path: file.name, capabilities });
    for (const { table } of layers) rows += await countRows(table);
  }
  return { rows, files: files.map(({ name }) => name), sums: receipts.map(({ sha256 }) => sha256) };
}

/** The same, for what must fail: the code of its error. */
async function failing(request: DatasetRequest, patience?: number): Promise<string> {
  try {
    await gathered(request, patience);
    return 'it came';
  } catch (error) {
    return error instanceof IsomericError ? `${error.code}: ${error.message}` : String(error);
  }
}

/** Buffers of many lines, in the page alone and with workers: whether the bytes are the same, and how many workers came. */
async function inWorkers(text: string): Promise<{ same: boolean; bytes: number; workers: number }> {
  let workers = 0;
  const Own = globalThis.Worker;
  globalThis.Worker = class extends Own {
    constructor(...args: ConstructorParameters<typeof Own>) {
      super(...args);
      workers++;
    }
  };
  const made = async (alone: boolean) => {
    const layer = await prepare(openLayer(new Blob([text])), buffer({ distance: 30 }));
    if (alone) useThreads(null);
    const { files } = await save(layer, 'buffers.geojson');
    return new Uint8Array(await (await files[0].blob()).arrayBuffer());
  };
  try {
    const one = await made(true);
    const several = await made(false);
    const same = one.length === several.length && one.every((byte, k) => byte === several[k]);
    return { same, bytes: one.length, workers };
  } finally {
    globalThis.Worker = Own;
  }
}

Object.assign(window, { inWorkers, throughFormat, looked, gathered, failing, sentences, ready: true });
