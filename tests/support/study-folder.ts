import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { afterEach } from 'vitest';
import { rowsOf } from '../../src/core/index.ts';
import type { Layer, Table } from '../../src/core/layer/layer.ts';
import { nodeMachine } from '../../src/node/index.ts';
import { filesFromLedger } from '../../src/study/gathering/gather.ts';
import {
  Ledger,
  loadStudy,
  type Machine,
  type RunOptions,
  type RunResult,
  runStudy,
  silentReporter,
} from '../../src/study/index.ts';
import { openDataset } from '../../src/study/preparing/open-datasets.ts';
import { demoEnvironment } from './demo-study.ts';
import { patient } from './http-service.ts';

/** A small study of a test, in a folder of its own. */
export class StudyFolder {
  readonly folder = mkdtempSync(join(tmpdir(), 'isomeric-small-'));
  readonly said: string[] = [];
  readonly slept: number[] = [];
  environment: Record<string, string> = { ...demoEnvironment };
  clock = () => new Date().toISOString();

  /** @param body what follows the title: sources, gather, … */
  write(body: string, area = 'area: { box: { west: -30.2, south: 45.35, east: -29.3, north: 45.8 } }'): this {
    writeFileSync(join(this.folder, 'study.yaml'), `study: A test\n${area}\ncrs: EPSG:3857\n${body}`);
    return this;
  }

  machine(more: Partial<Machine> = {}): Machine {
    const reporter = {
      ...silentReporter,
      say: (words: string) => this.said.push(words),
      note: (words: string) => this.said.push(words),
    };
    return {
      ...nodeMachine(this.folder, reporter),
      environment: (name) => this.environment[name],
      now: () => this.clock(),
      sleep: async (milliseconds) => {
        this.slept.push(milliseconds);
        await new Promise((resolve) => setTimeout(resolve, Math.min(milliseconds, 20)));
      },
      ...more,
    };
  }

  gather(options: RunOptions = {}, more: Partial<Machine> = {}): Promise<RunResult> {
    return runStudy(this.machine(more), { only: 'gather', patience: patient, tries: 2, ...options });
  }

  ledger(): Promise<Ledger> {
    return Ledger.load(this.machine());
  }

  /** A dataset as the study opens it. */
  async open(name: string): Promise<Layer | Table> {
    const study = loadStudy(readFileSync(join(this.folder, 'study.yaml'), 'utf8'));
    return openDataset(name, study, filesFromLedger(study, await this.ledger()), this.machine());
  }

  async rows(name: string): Promise<Record<string, unknown>[]> {
    const rows: Record<string, unknown>[] = [];
    for await (const row of rowsOf(await this.open(name))) rows.push(row);
    return rows;
  }

  /** Files of the folder below `under`, with `/`. */
  files(under = '.'): string[] {
    try {
      return readdirSync(join(this.folder, under), { recursive: true, withFileTypes: true })
        .filter((entry) => entry.isFile())
        .map((entry) => relative(this.folder, join(entry.parentPath, entry.name)))
        .sort();
    } catch {
      return [];
    }
  }

  text(path: string): string {
    return readFileSync(join(this.folder, path), 'utf8');
  }

  end(): void {
    rmSync(this.folder, { recursive: true, force: true });
  }
}

/** Studies of one test file: each is ended after the test that made it. */
export function studiesOfTests(): (body: string, area?: string) => StudyFolder {
  const studies: StudyFolder[] = [];
  afterEach(() => {
    for (const study of studies.splice(0)) study.end();
  });
  return (body, area) => {
    const own = new StudyFolder();
    studies.push(own);
    return own.write(body, area);
  };
}

/** All vertices of a layer, in the order of its features. */
export async function verticesOf(layer: Layer | Table): Promise<number[]> {
  const all: number[] = [];
  for await (const batch of layer.batches()) if (batch.geometry !== null) all.push(...batch.geometry.xy);
  return all;
}

export async function idsOf(layer: Layer | Table): Promise<string[]> {
  const ids: string[] = [];
  for await (const batch of layer.batches())
    for (let i = 0; i < batch.length; i++) ids.push(String(batch.id(i)));
  return ids;
}
