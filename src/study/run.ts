import { counted } from '../core/account.ts';
import type { Crs } from '../core/crs/crs.ts';
import { IsomericError } from '../core/errors.ts';
import type { Finding } from '../core/findings.ts';
import type { Layer, Table } from '../core/layer/layer.ts';
import { suggest } from '../core/nearest.ts';
import { dateInFiles } from './again/dates.ts';
import type { Difference } from './again/difference.ts';
import type { RunPlan } from './again/plan.ts';
import { layersOfArea } from './area/schema.ts';
import { studyIn } from './area-of-study.ts';
import { requireFiles } from './file/files.ts';
import type { Study } from './file/schema.ts';
import type { EstimateLine } from './gathering/estimate.ts';
import {
  beginGathering,
  endGathering,
  filesFromLedger,
  GatheredFiles,
  type GatherOptions,
  gather,
} from './gathering/gather.ts';
import type { Extent } from './gathering/orders.ts';
import { Ledger } from './ledger/ledger.ts';
import { type Machine, readText, writeText } from './machine.ts';
import { areaSheets, boxOfArea, buildArea, type StudyArea, strangeBoxes } from './preparing/area.ts';
import { preparedPath, type StudyCrs, studyCrs, titled } from './preparing/open-datasets.ts';
import type { Stage } from './stages.ts';

/** How a study is run. */
export interface RunOptions extends GatherOptions {
  /** Asks what gathering would take, and stops. */
  dry?: boolean;
  /** Only this stage; what the ones before left behind is used as it lies. */
  only?: Stage;
  /** What was gathered is used as it lies; everything else is done. */
  asGathered?: boolean;
}

/** What a run left behind. */
export interface RunResult {
  study: Study;
  findings: Finding[];
  /** Files in `delivered/`. */
  delivered: string[];
  /** Errors found in layers that are coloured on a map: it shows what is wrong. */
  drawnErrors: Finding[];
  /** What gathering would take; of a dry run. */
  estimates?: EstimateLine[];
  /** What of it would be fetched and made anew, and why; of a dry run. */
  plan?: RunPlan;
  /** What is other than after the last run that came to its end. */
  difference?: Difference;
  /** True: nothing that the results rest on changed, and they were left as they are. */
  unchanged?: boolean;
}

const findingsPath = 'prepared/findings.json';

/** Runs the study in the machine's folder: gather, prepare, check, draw, deliver. */
export async function runStudy(machine: Machine, options: RunOptions = {}): Promise<RunResult> {
  const study = await studyIn(machine);
  await requireFiles(study, machine);
  // One run at a time: two would write into each other's files.
  const release = await machine.claim();
  try {
    return await new Run(study, machine, await Ledger.load(machine), options).run();
  } finally {
    await machine.store.tidy?.();
    await release();
  }
}

/** Stages are loaded when they are wanted: most runs are of one. */
class Run {
  private readonly study: Study;
  private readonly machine: Machine;
  private readonly ledger: Ledger;
  private readonly options: RunOptions;
  private readonly findings: Finding[] = [];
  private readonly known = new Set<string>();
  private files = new GatheredFiles();
  private difference: Difference | undefined;

  constructor(study: Study, machine: Machine, ledger: Ledger, options: RunOptions) {
    this.study = study;
    this.ledger = ledger;
    this.options = options;
    // Findings of readers reach the run through the reporter; the same one is told and kept once.
    const { reporter } = machine;
    this.machine = {
      ...machine,
      reporter: {
        stage: (words) => reporter.stage(words),
        say: (words) => reporter.say(words),
        note: (words) => reporter.note(words),
        progress: (what, meter) => reporter.progress(what, meter),
        finding: (finding) => this.add(finding),
      },
    };
    this.report = reporter.finding.bind(reporter);
  }

  private readonly report: (finding: Finding) => void;

  private add(finding: Finding): void {
    const key = JSON.stringify([finding.code, finding.layer, finding.feature, finding.at, finding.words]);
    if (this.known.has(key)) return;
    this.known.add(key);
    this.findings.push(finding);
    this.report(finding);
  }

  private wants(stage: Stage): boolean {
    if (stage === 'gather' && this.options.asGathered === true) return false;
    return this.options.only === undefined || this.options.only === stage;
  }

  async run(): Promise<RunResult> {
    const { study, machine, ledger } = this;
    if (Object.keys(study.gather).length === 0)
      throw new IsomericError('study-value', 'The study gathers nothing yet.', {
        place: { file: 'study.yaml' },
        advice:
          'Look for data with “isomeric find” and take it with --add, or name a dataset under “gather”.',
        blame: 'usage',
      });
    for (const name of this.options.again ?? [])
      if (study.gather[name] === undefined)
        throw new IsomericError('dataset-unknown', `There is no dataset “${name}” in the study.`, {
          wrong: name,
          advice: suggest(name, Object.keys(study.gather)),
          blame: 'usage',
        });
    const { reporter } = machine;
    const crs = await study.written.within(['crs'], () => studyCrs(study.crs, machine));
    for (const finding of strangeBoxes(study)) this.add(finding);
    if (this.options.dry === true) return this.dry(crs);
    let area: StudyArea | undefined;
    if (this.wants('gather')) {
      reporter.stage('Gather');
      area = await this.gatherAll(crs);
    } else this.files = filesFromLedger(study, ledger);
    if (this.options.only === 'gather')
      return { study, findings: this.findings, delivered: [], drawnErrors: [] };
    area ??= await buildArea(study, crs, this.files, machine);
    if (this.wants('prepare')) {
      reporter.stage('Prepare');
      await this.prepare(area);
    }
    if (this.options.only === undefined) {
      const stands = await this.stands();
      if (stands !== null) return stands;
    }
    const layers = await this.prepared();
    if (this.wants('check')) {
      reporter.stage('Check');
      const { checkStudy } = await import('./preparing/check.ts');
      for (const finding of await checkStudy(study, layers, area, machine)) this.add(finding);
      const { putAside } = await import('./again/baseline.ts');
      await putAside(ledger, machine);
      await writeText(machine, findingsPath, `${JSON.stringify(this.findings, null, 2)}\n`);
    } else if (this.options.only !== 'prepare') {
      const kept = await readText(machine, findingsPath);
      if (kept !== null) this.findings.push(...(JSON.parse(kept) as Finding[]));
    }
    const maps: { name: string; title: string; svg: string }[] = [];
    if (this.wants('draw')) {
      reporter.stage('Draw');
      const { drawMap } = await import('./handing-on/draw.ts');
      const { findings, files } = this;
      const drawing = { study, layers, area, files, ledger, machine, findings };
      for (const [name, map] of Object.entries(study.draw)) {
        const { svg, sentence } = await study.written.within(['draw', name], () =>
          drawMap(name, map, drawing),
        );
        await writeText(machine, `prepared/maps/${name}.svg`, svg);
        reporter.say(sentence);
        maps.push({ name, title: map.title, svg });
      }
    }
    if (this.options.only === undefined) await this.tellDifference(layers);
    const delivered = this.wants('deliver') ? await this.deliver(area, layers, maps) : [];
    return {
      study,
      findings: this.findings,
      delivered,
      drawnErrors: this.drawnErrors(),
      ...(this.difference === undefined ? {} : { difference: this.difference }),
    };
  }

  /** The layer that the area is made of first, then the rest, limited to the area where the service can. */
  private async gatherAll(crs: StudyCrs): Promise<StudyArea> {
    const { study, machine, ledger, options, files } = this;
    const gathering = await beginGathering(study, machine, ledger, options);
    const first = layersOfArea(study.area);
    if (first.length > 0) await gather(first, undefined, gathering, files);
    const area = await buildArea(study, crs, files, machine);
    this.tell(area);
    const others = Object.keys(study.gather).filter((name) => !first.includes(name));
    await gather(others, this.extentOf(area), gathering, files);
    await endGathering(gathering);
    return area;
  }

  private extentOf(area: StudyArea): Extent {
    return {
      degrees: area.degrees,
      in: (other: Crs) => boxOfArea(area, other),
      sheets: async (of, level) => (await areaSheets(area.area, area.crs, { of, level }, this.machine)).codes,
    };
  }

  private tell({ words, notes }: StudyArea): void {
    this.machine.reporter.say(words);
    for (const note of notes) this.machine.reporter.note(note);
  }

  /** What gathering would take. Only the layer that makes the area is fetched: without it nothing is known of the rest. */
  private async dry(crs: StudyCrs): Promise<RunResult> {
    const { study, machine, ledger, options, files } = this;
    machine.reporter.stage('Estimate');
    const gathering = await beginGathering(study, machine, ledger, options);
    const first = layersOfArea(study.area);
    if (first.length > 0) {
      await gather(first, undefined, gathering, files);
      machine.reporter.note(
        `${first.join(' and ')} ${first.length === 1 ? 'makes the area, so it was' : 'make the area, so they were'} fetched; nothing else is.`,
      );
    }
    const area = await buildArea(study, crs, files, machine);
    this.tell(area);
    const others = Object.keys(study.gather).filter((name) => !first.includes(name));
    const { estimateAll, estimateSentence } = await import('./gathering/estimate.ts');
    const estimates = await estimateAll(others, this.extentOf(area), gathering);
    machine.reporter.say(estimateSentence(estimates));
    const { planRun } = await import('./again/plan.ts');
    const plan = await planRun(first, others, this.extentOf(area), area, gathering);
    return { study, findings: [], delivered: [], drawnErrors: [], estimates, plan };
  }

  /** Makes anew what rests on something else than before, keeps the rest, and remembers what each layer rests on. */
  private async prepare(area: StudyArea): Promise<void> {
    const { study, machine, ledger, files } = this;
    const { Recipes } = await import('./again/recipes.ts');
    const { openKept, planLayers, preparedFile } = await import('./again/keeping.ts');
    const recipes = new Recipes({ study, area, files, ledger, machine });
    const file = await preparedFile(ledger, machine);
    const plans = await planLayers(study, recipes, ledger, file);
    const kept = await openKept(plans, file, ledger, machine);
    const { prepareLayers } = await import('./preparing/prepare-layers.ts');
    const left = await prepareLayers(plans, kept, {
      study,
      area,
      files,
      ledger,
      machine,
      add: (finding) => this.add(finding),
    });
    await ledger.save(machine);
    if (left.length === 0) return;
    const count = plans.length - left.length;
    throw new IsomericError(
      'not-gathered',
      `${counted(count, 'layer was', 'layers were')} prepared; ${left.flatMap(({ what }) => what).join(', ')} ${left.length === 1 ? 'was' : 'were'} not: ${left[0].words}`,
      { place: left[0].place, advice: left[0].advice, blame: 'input', failures: left },
    );
  }

  /** Citations, licences and methods, as the study asks for them. */
  private async deliverTexts(
    area: StudyArea,
    layers: readonly (Layer | Table)[],
    write: (path: string, text: string) => Promise<void>,
  ): Promise<void> {
    const { study, ledger, machine, findings } = this;
    const { texts } = study.deliver;
    if (texts.length === 0) return;
    const { provenanceOf } = await import('./handing-on/provenance.ts');
    const provenance = provenanceOf(study, ledger);
    const { citationItems, citationsText, contradictions, licencesText } = await import(
      './handing-on/citations.ts'
    );
    const { obligationWords } = await import('./handing-on/licences.ts');
    if (texts.includes('citations')) {
      await write('delivered/citations.txt', citationsText(provenance));
      await write('delivered/citations.json', `${JSON.stringify(citationItems(provenance), null, 2)}\n`);
    }
    if (texts.includes('licences'))
      await write('delivered/licences.txt', licencesText(provenance, obligationWords));
    for (const { layer, licences } of contradictions(provenance))
      machine.reporter.note(
        `${layer} rests on data under ${licences.join(' and ')}, each of which asks that it be handed on under itself.`,
      );
    if (!texts.includes('methods')) return;
    const { methodsText } = await import('./handing-on/methods.ts');
    const { version } = machine;
    await write(
      'delivered/methods.md',
      methodsText({ study, area, layers, ledger, findings, provenance, version }),
    );
  }

  /** All that is delivered once more as one archive with checksums. */
  private async deliverBag(delivered: string[]): Promise<void> {
    const { study, machine } = this;
    const [{ writeBag }, { sumsOf }, { slug }] = await Promise.all([
      import('./handing-on/bag.ts'),
      import('./again/standing.ts'),
      import('./handing-on/deliver.ts'),
    ]);
    const name = slug(study.study);
    const path = `delivered/${name}.zip`;
    const sums = await sumsOf(delivered, machine);
    await writeBag({ name, description: study.study, paths: delivered, sums }, path, machine);
    delivered.push(path);
  }

  /** Where nothing that the results rest on is other than when they were delivered, they stay: what was found then is told again. */
  private async stands(): Promise<RunResult | null> {
    const { study, ledger, machine } = this;
    const { standingOf, stillStands } = await import('./again/standing.ts');
    if (!(await stillStands(await standingOf(study, ledger, machine), ledger, machine))) return null;
    const kept = (await readText(machine, findingsPath)) ?? '[]';
    for (const finding of JSON.parse(kept) as Finding[]) this.add(finding);
    const { paths, at } = ledger.delivery!;
    machine.reporter.say(
      `Deliver: nothing changed since ${at.slice(0, 16).replace('T', ' ')} UTC; the ${paths.length} files in delivered/ stay as they are.`,
    );
    return {
      study,
      findings: this.findings,
      delivered: paths,
      drawnErrors: this.drawnErrors(),
      unchanged: true,
    };
  }

  /** Errors found in layers that a map colours. */
  private drawnErrors(): Finding[] {
    const coloured = new Set(Object.values(this.study.draw).map(({ layer }) => layer));
    return this.findings.filter(
      ({ severity, layer }) => severity === 'error' && layer !== undefined && coloured.has(layer),
    );
  }

  /** Holds the result against that of the last run which came to its end. */
  private async tellDifference(layers: ReadonlyMap<string, Layer | Table>): Promise<void> {
    const { baselineOf } = await import('./again/baseline.ts');
    const baseline = await baselineOf(this.ledger, this.machine);
    if (baseline === null) return;
    const { compareStates, changesPath } = await import('./again/difference.ts');
    const before = new Map((await this.machine.open(baseline.path)).map(({ table }) => [table.name, table]));
    const difference = await compareStates(
      { layers: before, findings: baseline.findings },
      { layers, findings: this.findings },
      this.study,
      (layer) => this.ledger.delivery?.recipes?.[layer] !== this.ledger.prepared.get(layer)?.recipe,
    );
    await writeText(this.machine, changesPath, `${JSON.stringify(difference, null, 2)}\n`);
    this.difference = difference;
  }

  private async prepared(): Promise<Map<string, Layer | Table>> {
    if ((await this.machine.store.open(preparedPath)) === null) {
      throw new IsomericError('not-prepared', 'Nothing has been prepared yet.', {
        advice: 'Run the study without --only, or with --only prepare first.',
        blame: 'usage',
      });
    }
    const opened = await this.machine.open(preparedPath);
    return new Map(opened.map(({ table }) => [table.name, titled(table, this.study)]));
  }

  private async deliver(
    area: StudyArea,
    layers: ReadonlyMap<string, Layer | Table>,
    drawn: { name: string; title: string; svg: string }[],
  ): Promise<string[]> {
    const { study, machine, ledger } = this;
    machine.reporter.stage('Deliver');
    const maps = [...drawn];
    if (maps.length === 0) {
      for (const [name, map] of Object.entries(study.draw)) {
        const svg = await readText(machine, `prepared/maps/${name}.svg`);
        if (svg !== null) maps.push({ name, title: map.title, svg });
      }
    }
    const all = [...layers.values()];
    const now = dateInFiles;
    const { deliverData, deliveredWords, removeFormer } = await import('./handing-on/deliver.ts');
    const delivered = await deliverData(study, all, machine, now);
    const { sheetWidth } = await import('../core/mapping/sheet.ts');
    for (const map of maps) {
      await writeText(machine, `delivered/maps/${map.name}.svg`, map.svg);
      await machine.writeBytes(`delivered/maps/${map.name}.png`, await machine.png(map.svg, sheetWidth * 2));
      delivered.push(`delivered/maps/${map.name}.svg`, `delivered/maps/${map.name}.png`);
    }
    const { dataDictionary, dictionaryText } = await import('./handing-on/dictionary.ts');
    const dictionary = await dataDictionary(all);
    const write = async (path: string, text: string) => {
      await writeText(machine, path, text);
      delivered.push(path);
    };
    await write('delivered/data-dictionary.csv', dictionaryText(dictionary));
    await write('delivered/findings.json', `${JSON.stringify(this.findings, null, 2)}\n`);
    await this.deliverTexts(area, all, write);
    const pages = study.deliver.pages.includes('report') ? ['delivered/report.html'] : [];
    const before = ledger.delivery?.paths ?? [];
    await write('delivered/ledger.jsonl', ledger.handedOn);
    if (pages.length > 0) {
      const { reportHtml } = await import('./handing-on/report.ts');
      await write(
        'delivered/report.html',
        reportHtml({ study, area, layers: all, maps, findings: this.findings, dictionary, ledger }),
      );
    }
    if (study.deliver.bag) await this.deliverBag(delivered);
    await removeFormer(before, delivered, machine);
    const [{ recipesIn, standingOf, sumsOf }, { forgetBaseline }] = await Promise.all([
      import('./again/standing.ts'),
      import('./again/baseline.ts'),
    ]);
    ledger.delivery = {
      kind: 'delivery',
      at: machine.now(),
      paths: delivered,
      of: await standingOf(study, ledger, machine),
      sums: await sumsOf(delivered, machine),
      prepared: ledger.layers?.sha256,
      recipes: recipesIn(ledger),
    };
    await ledger.save(machine);
    await forgetBaseline(machine);
    const counts = { maps: maps.length, findings: this.findings.length, files: delivered.length };
    machine.reporter.say(deliveredWords(all, area.crs, counts));
    return delivered;
  }
}
