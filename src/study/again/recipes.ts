import { crsLabel } from '../../core/crs/crs.ts';
import { verbNamed } from '../../verbs/register.ts';
import { filesNamed } from '../file/files.ts';
import type { Study } from '../file/schema.ts';
import type { StudyStep } from '../file/steps.ts';
import { datasetsOf } from '../file/steps.ts';
import type { GatheredFiles } from '../gathering/gather.ts';
import type { Ledger } from '../ledger/ledger.ts';
import type { Machine } from '../machine.ts';
import type { StudyArea } from '../preparing/area.ts';
import { canonicalJson, digestOf } from './digest.ts';

/**
 * Everything that a prepared layer rests on, part by part, each as a digest: the code, the words of the study, the bytes of the
 * files. The same recipe makes the same layer.
 */
export interface Recipe {
  key: string;
  /** `code`, `crs`, `area`, `files of housing`, `step 3 (join)` … → digest. */
  parts: Readonly<Record<string, string>>;
}

/** The reason for which a layer is made that never was. */
export const neverPrepared = 'it was not prepared before';

/** What recipes are worked out from. */
export interface Kitchen {
  study: Study;
  area: StudyArea;
  files: GatheredFiles;
  ledger: Ledger;
  machine: Machine;
}

/** First digits of a digest: enough to tell states of one thing apart. */
const short = (digest: string) => digest.slice(0, 20);

/** Works out recipes, each thing once. */
export class Recipes {
  private readonly known = new Map<string, Promise<Recipe>>();
  private readonly datasets = new Map<string, Promise<Record<string, string>>>();
  private area: Promise<string> | undefined;
  private crs: Promise<string> | undefined;

  constructor(private readonly kitchen: Kitchen) {}

  /** The recipe of a prepared layer. */
  of(layer: string): Promise<Recipe> {
    let recipe = this.known.get(layer);
    if (recipe === undefined) {
      recipe = this.make(layer);
      this.known.set(layer, recipe);
    }
    return recipe;
  }

  private async make(layer: string): Promise<Recipe> {
    const { study, machine } = this.kitchen;
    const steps = study.prepare[layer];
    const parts: Record<string, string> = {
      code: machine.version,
      crs: await (this.crs ??= this.crsPart()),
      titles: short(await digestOf(canonicalJson(study.titles))),
      ...(await this.dataset(layer)),
    };
    if (steps.some(usesMargins)) parts.margins = short(await digestOf(canonicalJson(study.margins)));
    if (steps.some(usesArea)) parts.area = await (this.area ??= this.areaPart());
    for (const [k, step] of steps.entries()) {
      parts[`step ${k + 1} (${step.verb})`] = short(await digestOf(canonicalJson(step.written)));
      for (const { name, gathered } of othersOf(step)) {
        if (gathered || !(name in study.prepare)) Object.assign(parts, await this.dataset(name));
        else if (name !== layer) parts[`layer ${name}`] = short((await this.of(name)).key);
      }
    }
    return { key: await digestOf(canonicalJson(parts)), parts };
  }

  private async crsPart(): Promise<string> {
    const { study, area, machine } = this.kitchen;
    const grids: (string | null)[] = [];
    for (const path of study['datum grids']) grids.push(await machine.store.checksum(path));
    return short(await digestOf(canonicalJson({ crs: area.crs, label: crsLabel(area.crs), grids })));
  }

  private async areaPart(): Promise<string> {
    const { area } = this.kitchen;
    const digests: string[] = [];
    for (const { geometry } of [area.area, area.core]) {
      const { xy, vertexStart, ringStart, partStart, kind } = geometry.buffers();
      for (const buffer of [xy, vertexStart, ringStart, partStart, kind])
        digests.push(await digestOf(new Uint8Array(buffer.buffer, buffer.byteOffset, buffer.byteLength)));
    }
    return short(await digestOf(digests.join()));
  }

  /** What a dataset is as gathered: its words, and the bytes of its files with what explains them. */
  private dataset(name: string): Promise<Record<string, string>> {
    let parts = this.datasets.get(name);
    if (parts === undefined) {
      parts = this.datasetParts(name);
      this.datasets.set(name, parts);
    }
    return parts;
  }

  private async datasetParts(name: string): Promise<Record<string, string>> {
    const { study, files, ledger, machine } = this.kitchen;
    const dataset = study.gather[name];
    const same = dataset['same as'];
    const from = dataset.from ?? (same === undefined ? undefined : study.gather[same]?.from);
    const source = from === undefined ? undefined : study.sources[from];
    const paths = files.get(name) ?? [];
    const owner = same ?? name;
    const beside = [...ledger.receipts.values()]
      .filter((receipt) => receipt.role === 'structure' && receipt.datasets.includes(owner))
      .map(({ path }) => path);
    const sums: string[] = files.missing.has(name) ? ['missing'] : [];
    for (const path of [...new Set([...paths, ...beside.sort()])])
      sums.push(
        `${path} ${ledger.receipts.get(path)?.sha256 ?? (await machine.store.checksum(path))} ${files.crs.get(path) ?? ''}`,
      );
    const named: (string | null)[] = [];
    for (const { path, file } of filesNamed(study))
      if (path[0] === 'gather' && (path[1] === name || path[1] === same) && path[2] !== 'file')
        named.push(await machine.store.checksum(file));
    const { citation: _, licence: __, ...words } = dataset;
    return {
      [`words of ${name}`]: short(
        await digestOf(canonicalJson({ words, kind: source?.kind, keys: source?.['key columns'], named })),
      ),
      [`files of ${name}`]: short(
        await digestOf(canonicalJson({ sums, findings: files.findings.get(owner) })),
      ),
    };
  }
}

const options = (step: StudyStep) => Object.entries(verbNamed(step.verb)!.options);

const usesArea = (step: StudyStep) =>
  options(step).some(([name, { kind }]) => kind === 'area' && step.written[name] !== undefined);

const usesMargins = (step: StudyStep) => options(step).some(([, option]) => option.setting === true);

/** The datasets that a step names, and whether it takes them as they were gathered. */
export function othersOf(step: StudyStep): { name: string; gathered: boolean }[] {
  const { options: described } = verbNamed(step.verb)!;
  return datasetsOf(step).map(({ name, key }) => ({
    name,
    gathered: Object.entries(described).some(
      ([option, each]) => each.gathered === true && (option === key || step.verb === key),
    ),
  }));
}

/** Why a layer is made anew: what of its recipe is other than before, in words. */
export function reasonsFor(now: Recipe, before: Readonly<Record<string, string>> | undefined): string[] {
  if (before === undefined) return [neverPrepared];
  // What else is other than before does not matter then.
  if (before.code !== now.parts.code) return ['Isomeric itself changed'];
  const names = [...new Set([...Object.keys(before), ...Object.keys(now.parts)])];
  const changed = names.filter((name) => before[name] !== now.parts[name]);
  const steps = changed.filter((name) => name.startsWith('step '));
  const words = changed
    .filter((name) => !name.startsWith('step '))
    .map((name) => {
      if (!(name in before)) return `${wordsFor(name)} is new in it`;
      if (!(name in now.parts)) return `${wordsFor(name)} is no longer in it`;
      return `${wordsFor(name)} changed`;
    });
  const [first] = steps.sort((a, b) => Number(/\d+/.exec(a)) - Number(/\d+/.exec(b)));
  if (first !== undefined) words.push(`its steps changed from ${first} on`);
  return words;
}

function wordsFor(part: string): string {
  if (part === 'code') return 'Isomeric itself';
  if (part === 'crs') return 'the CRS of the study';
  if (part === 'area') return 'the study area';
  if (part === 'titles' || part === 'margins') return `“${part}” of the study`;
  return part.replace(/^files of /, 'the data of ').replace(/^words of /, 'what is said under gather → ');
}
