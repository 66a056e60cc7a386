import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { zoneAhead } from '../../core/field/days.ts';
import { IsomericError, type Layer } from '../../core/index.ts';
import { placeAlong } from '../../core/layer/verbs/along.ts';
import { layerMotion } from '../../core/layer/verbs/motion.ts';
import {
  checkChoice,
  choiceFrom,
  filesOf,
  namesOf,
  type RecordChoice,
  type RecordKind,
  recordKinds,
} from '../../formats/field-record/choose.ts';
import { openRecordFile, openRecordFiles, type RecordFile } from '../../formats/field-record/files.ts';
import { recordLayer, usualRangeError } from '../../formats/field-record/layers.ts';
import { listRecord, type RecordList } from '../../formats/field-record/survey.ts';
import { baseName } from '../../formats/opening/names.ts';
import { fileSource } from '../../node/bytes.ts';
import { nodeMachine } from '../../node/index.ts';
import { listenTo } from '../../node/receiver.ts';
import { writeChunks } from '../../node/save.ts';
import { filesBelow } from '../../sources/receiver/folder.ts';
import { isStream, listened, usualListening, usualQuiet } from '../../sources/receiver/stream.ts';
import { printRecordList, recordListView } from '../field-list.ts';
import { finish } from '../finish.ts';
import { crsArgument } from '../opening.ts';
import { type Output, printFindings, printingReporter, printJson } from '../output.ts';
import { settleOutput, withReplace } from '../outputs.ts';
import { type AddCommand, numberOption, outputOf } from './command.ts';

interface FieldOptions extends Partial<Record<RecordKind, string>> {
  all?: boolean;
  days?: string;
  zone?: string;
  crs?: string;
  out?: string;
  as?: string;
  replace?: boolean;
  record?: string;
  fastest?: string;
  stopWithin?: string;
  stopFor?: string;
  gap?: string;
  drop?: string;
  ahead?: string;
  rangeError?: string;
  quietAfter: string;
  listenFor: string;
}

const aboveZero = (value: number) => value > 0;

/** Names with commas between them; a name that holds a comma itself stays whole where the receiver has it. */
function namesFrom(text: string, known: ReadonlySet<string>): string[] {
  const parts = text.split(',');
  const names: string[] = [];
  for (let at = 0; at < parts.length; ) {
    let end = parts.length;
    while (end > at + 1 && !known.has(parts.slice(at, end).join(',').trim())) end--;
    names.push(parts.slice(at, end).join(',').trim());
    at = end;
  }
  return names;
}

/** Which kinds are asked for: by name, all, or all that was recorded on some days. */
function kindsFrom(options: FieldOptions): readonly RecordKind[] {
  const told = recordKinds.filter((kind) => options[kind] !== undefined);
  return options.all === true || (told.length === 0 && options.days !== undefined) ? recordKinds : told;
}

function choicesFrom(
  kinds: readonly RecordKind[],
  options: FieldOptions,
  list: RecordList,
  paths: readonly string[],
): RecordChoice[] {
  const { days, zone } = options;
  return kinds.map(
    (kind) =>
      choiceFrom({
        [kind]:
          options[kind] === undefined ? 'all' : namesFrom(options[kind], new Set(namesOf(kind, list, paths))),
        days: days?.split(',').map((day) => day.trim()),
        zone,
      })!,
  );
}

/** What lies in the folder of a receiver, or came over its line. */
async function readReceiver(
  source: string,
  options: FieldOptions,
  output: Output,
  folder: string,
): Promise<RecordFile[]> {
  const files: RecordFile[] = [];
  if (isStream(source)) {
    const reporter = printingReporter(output);
    const path = join(folder, 'record.nmea');
    const seconds = (name: string, text: string) => numberOption(name, text, aboveZero);
    const meter = { bytes: 0, features: 0 };
    const notes: string[] = [];
    try {
      const stream = await listenTo(source);
      await writeChunks(
        path,
        listened(stream, source, {
          quietAfter: seconds('quiet-after', options.quietAfter),
          listenFor: seconds('listen-for', options.listenFor),
          meter,
          progress: () => reporter.progress('receiver', meter),
          note: (words) => notes.push(words),
        }),
      );
    } finally {
      reporter.progress('receiver', null);
      reporter.stop();
    }
    for (const words of notes) output.aside(words);
    const file = await openRecordFile(await fileSource(path, 'record.nmea'), 'record.nmea');
    if (file !== null) files.push(file);
  } else {
    const machine = nodeMachine('.');
    const order = {
      address: source,
      local: (path: string) => machine.local(path),
      localNames: (path: string) => machine.localNames(path),
    };
    files.push(...(await openRecordFiles(await filesBelow(order))));
  }
  if (files.length > 0) return files;
  throw new IsomericError('receiver-empty', 'There is no record of a receiver in it.', {
    place: { file: source },
    advice:
      'Name the folder that the receiver is mounted as, tcp://HOST:PORT, or serial:/dev/ttyUSB0; records are GPX files, sentences (NMEA 0183) and photos.',
  });
}

/** The layers of what is chosen: things as recorded, tracks as points with their motion, as lines, their stops. */
async function layersOf(
  choices: readonly RecordChoice[],
  files: readonly RecordFile[],
  list: RecordList,
  options: FieldOptions,
): Promise<Layer[]> {
  const crs = options.crs === undefined ? null : await crsArgument(options.crs);
  const inCrs = async (layer: Layer): Promise<Layer> => {
    if (crs === null || layer.schema.length === 0) return layer;
    const { reprojectLayer } = await import('../../core/layer/verbs/reproject.ts');
    return reprojectLayer(layer, crs);
  };
  const rangeError = numberOption('range-error', options.rangeError ?? String(usualRangeError), aboveZero);
  const made: Layer[] = [];
  const limit = (name: 'fastest' | 'stopWithin' | 'stopFor' | 'gap', flag: string) =>
    options[name] === undefined ? {} : { [name]: numberOption(flag, options[name], aboveZero) };
  const limits = {
    ...limit('fastest', 'fastest'),
    ...limit('stopWithin', 'stop-within'),
    ...limit('stopFor', 'stop-for'),
    ...limit('gap', 'gap'),
  };
  let points: Layer | null = null;
  for (const choice of choices) {
    const layer = (lines: boolean, name: string) =>
      recordLayer(name, files, list, choice, { lines, rangeError });
    if (choice.kind === 'tracks') {
      points = await inCrs(layer(false, 'track_points'));
      if (points.schema.length === 0) continue;
      const timed = points.schema.some(({ name, type }) => name === 'time' && type === 'timestamp');
      const drop = options.drop?.split(',').map((word) => word.trim()) ?? [];
      const moved = timed
        ? await layerMotion(points, {
            ...limits,
            jumps: drop.includes('jumps') ? 'drop' : 'mark',
            stops: drop.includes('stops') ? 'drop' : 'mark',
          })
        : points;
      // The same points were chosen and brought over for each of them: that is told once.
      const lines = await inCrs(layer(true, 'tracks'));
      made.push(moved, { ...lines, accounts: [] });
      if (!timed) continue;
      const shaped = async (name: string, give: 'lines' | 'stops') =>
        layerMotion({ ...(await inCrs(layer(false, name))), name }, { ...limits, give });
      for (const own of [await shaped('legs', 'lines'), await shaped('stops', 'stops')])
        made.push({ ...own, accounts: own.accounts.slice(-1) });
    } else {
      const own = await inCrs(layer(false, choice.kind));
      if (own.schema.length === 0) continue;
      const ahead = numberOption('ahead', options.ahead ?? '0', () => true);
      made.push(
        choice.kind === 'photos' && points !== null && points.schema.some(({ name }) => name === 'time')
          ? await placeAlong(own, points, {
              ahead,
              zone: options.zone,
              columns: ['track_name'].filter((name) => points!.schema.some((field) => field.name === name)),
            })
          : choice.kind === 'waypoints' && own.crs?.kind === 'projected'
            ? await withEastings(own)
            : own,
      );
    }
  }
  return made;
}

async function withEastings(layer: Layer): Promise<Layer> {
  const { withCoordinates } = await import('../../core/layer/verbs/coordinates.ts');
  return withCoordinates(layer);
}

/** Keeps the files that hold something chosen, as they were recorded. */
async function keepRecord(
  folder: string,
  source: string,
  files: readonly RecordFile[],
  wanted: ReadonlySet<number>,
): Promise<number> {
  if (isStream(source)) return 1;
  for (const number of wanted) {
    const { path } = files[number];
    const own = await fileSource(join(source, path));
    await writeChunks(join(folder, path), own.stream());
  }
  return wanted.size;
}

export const addField: AddCommand = (program) => {
  withReplace(
    program
      .command('field')
      .description('what a position receiver holds, and chosen waypoints, tracks and photos of it as layers')
      .argument('<source>', 'the folder that it is mounted as, tcp://HOST:PORT, or serial:/dev/ttyUSB0')
      .option(
        '--waypoints <names>',
        'waypoints by name or run of names: "CUL-001 to CUL-048, GATE 1"; or all',
      )
      .option(
        '--tracks <names>',
        'tracks by name, or all: as points with their motion, as lines, with their stops',
      )
      .option('--routes <names>', 'routes by name, or all')
      .option(
        '--photos <names>',
        'photos by the name of their file, or all; placed on the tracks by their time',
      )
      .option('--all', 'all that it holds')
      .option('--days <days>', 'only what was recorded then: 2024-06-14, "2024-06-14 to 2024-06-16"')
      .option('--zone <zone>', 'zone of the days and of cameras that say none, from UTC: -02:00')
      .option('--crs <crs>', 'the CRS to go into; as recorded when left out')
      .option('--out <file>', 'where the layers go')
      .option('--as <format>', 'the format, where the ending does not say it')
      .option('--record <folder>', 'keeps the files that hold something chosen there, as recorded')
      .option('--fastest <speed>', 'faster than so many metres a second a position jumped')
      .option('--stop-within <metres>', 'a stop stays within so many metres')
      .option('--stop-for <seconds>', 'and lasts at least so long')
      .option('--gap <seconds>', 'a longer time without a position ends a leg')
      .option('--drop <what>', 'jumps, stops, or both: points that are left out')
      .option('--ahead <seconds>', 'seconds by which the clock of the camera is ahead')
      .option('--range-error <metres>', 'metres by which a position is off at a dilution of 1')
      .option(
        '--quiet-after <seconds>',
        'seconds without a word after which a line is left',
        String(usualQuiet),
      )
      .option('--listen-for <seconds>', 'seconds that a line is listened to at most', String(usualListening)),
  ).action(async (source: string, options: FieldOptions, command) => {
    const output = outputOf(command);
    const kinds = kindsFrom(options);
    if (kinds.length > 0 && options.out === undefined)
      throw new IsomericError('out-missing', 'Where should what is chosen go?', {
        advice: 'Say it with “--out field.gpkg”.',
        blame: 'usage',
      });
    const settled = options.out === undefined ? null : await settleOutput(options.out, [], options);
    // What came over a line cannot be asked for again: it is kept beside the layers.
    const folder =
      options.record ??
      (options.out === undefined ? null : join(dirname(options.out), `${baseName(options.out)}-record`));
    const passing = folder === null ? await mkdtemp(join(tmpdir(), 'isomeric-')) : null;
    try {
      const files = await readReceiver(source, options, output, folder ?? passing!);
      const list = await listRecord(files);
      const paths = files.map(({ path }) => path);
      if (kinds.length === 0) {
        const ahead = options.zone === undefined ? 0 : zoneAhead(options.zone);
        if (output.json) printJson({ source, ...recordListView(files, list) });
        else {
          printRecordList(output, source, files, list, Number.isNaN(ahead) ? 0 : ahead);
          printFindings(
            output,
            files.flatMap(({ findings }) => findings),
          );
          if (isStream(source) && passing !== null)
            output.aside('What came is not kept: --record FOLDER keeps it, and it can be opened from there.');
        }
        return;
      }
      const wanted = new Set<number>();
      const met: RecordChoice[] = [];
      for (const choice of choicesFrom(kinds, options, list, paths)) {
        const numbers = filesOf(choice, list, paths);
        // Of all that there is, what is not there is not missed.
        if (numbers.size === 0 && options[choice.kind] === undefined) continue;
        for (const note of checkChoice(choice, list, paths)) output.aside(note);
        for (const number of numbers) wanted.add(number);
        met.push(choice);
      }
      if (met.length === 0)
        throw new IsomericError('days-unmet', 'Nothing was recorded on the days that are asked for.', {
          advice: `List what there is: isomeric field ${source}`,
          blame: 'usage',
        });
      const layers = await layersOf(met, files, list, options);
      const findings = files.flatMap(({ findings: own }, number) =>
        wanted.has(number) ? own : own.filter(({ code }) => code === 'record-damaged'),
      );
      const told = layers.map((layer, k) => ({ ...layer, findings: k === 0 ? findings : [] }));
      await finish(output, told, options.out!, settled!);
      if (options.record !== undefined || isStream(source)) {
        const count = await keepRecord(folder!, source, files, wanted);
        if (!output.json)
          output.line(`Record: ${count === 1 ? 'one file' : `${count} files`} as recorded in ${folder}.`);
      }
    } finally {
      if (passing !== null) await rm(passing, { recursive: true, force: true });
    }
  });
};
