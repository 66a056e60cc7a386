import type { CrsPurpose } from '../core/crs/best-crs.ts';
import type { Crs } from '../core/crs/crs.ts';
import type { GridShift } from '../core/crs/ntv2.ts';
import { IsomericError } from '../core/errors.ts';
import type { Area } from '../core/layer/area.ts';
import { isLayer, type Layer, type Table } from '../core/layer/layer.ts';
import type { ClassRule } from '../core/layer/verbs/classify.ts';
import type { Computation } from '../core/layer/verbs/compute.ts';
import type { JoinKeys } from '../core/table/keys/key-pairs.ts';
import type { Mend } from '../core/table/keys/mends.ts';

/** The CRS that suits a layer best for a purpose; which one that is shows when the layer is there. */
export interface BestFor {
  best: CrsPurpose;
}

/** What the value of an option is, by its kind: the same whether it comes from a command, a study or a program. */
export interface OptionValues {
  text: string;
  number: number;
  /** 0 to 100. */
  percent: number;
  flag: boolean;
  /** One of the words in `choices`. */
  choice: string;
  names: readonly string[];
  numbers: readonly number[];
  /** Names of columns; [name, new name] renames one. */
  columns: readonly (string | readonly [string, string])[];
  /** New fields with their expressions. */
  fields: readonly Computation[];
  /** Classes in order, each with its condition or the values that belong to it. */
  rules: readonly ClassRule[];
  /** `code = ward`: a field of what is given, a field of the other. */
  keys: readonly [string, string];
  /** `state = ST, code = A (2) + B (3)`: several fields on each side. */
  'key pairs': JoinKeys;
  /** `blanks, leading zeros to 6`: what is done to keys before they are compared. */
  mends: readonly Mend[];
  table: Table;
  /** One or several. */
  tables: readonly Table[];
  layer: Layer;
  layers: readonly Layer[];
  area: Area;
  crs: Crs | BestFor;
  /** Grids of datum shifts. */
  grids: readonly GridShift[];
}
/** Name of a kind of option. */
export type OptionKind = keyof OptionValues;

/** One option of a verb: what it is, and how it is called where. */
export interface OptionDescription {
  readonly kind: OptionKind;
  /** A clause that goes on after the option's name; no full stop. */
  readonly words: string;
  readonly required?: true;
  /** What it is when it is left out. */
  readonly usual?: string | number;
  readonly choices?: readonly string[];
  /** What stands for its value in help: `<names>`. */
  readonly sign?: string;
  /** In a command: behind the input (`argument`), or not at all (`false`); as `--name` when left out. */
  readonly command?: 'argument' | false;
  /** Its name in a study, when that is another; `false`: not there; `setting`: what the whole study says. */
  readonly study?: string | false;
  readonly setting?: true;
  /** Left out in a study, it is the title that the study gives to the dataset of this other option. */
  readonly titleOf?: string;
  /** A dataset of a study that is taken as it was gathered, also where the study has steps for it. */
  readonly gathered?: true;
}
export type OptionDescriptions = Readonly<Record<string, OptionDescription>>;

/** The values of described options. */
export type ValuesOf<O extends OptionDescriptions> = {
  -readonly [K in keyof O as O[K] extends { required: true } ? K : never]: OptionValues[O[K]['kind']];
} & {
  -readonly [K in keyof O as O[K] extends { required: true } ? never : K]?: OptionValues[O[K]['kind']];
};

/** The same verb said in the three ways; commands run on the data of the demo, in `data/`. */
export interface VerbExample {
  readonly command: string;
  /** The step, as it stands under a layer of `prepare:`. */
  readonly study?: string;
  /** An argument of `prepare(…)` in a program. */
  readonly program: string;
}

/** A verb, described once: commands, steps of studies, the schema, help and the page of the docs come from it. */
export interface Verb {
  readonly name: string;
  /** What it does to what it is given: a clause in the infinitive, no full stop. */
  readonly words: string;
  /** What it is given; a table may be a layer too. */
  readonly takes: 'layer' | 'table';
  /** What the given layer is called in the command's help. */
  readonly given: string;
  /** What cannot be done to a table without geometry: `clipped`. */
  readonly done: string;
  readonly options: OptionDescriptions;
  /** The option that stands behind the verb's own name in a study; null: all options stand within it. */
  readonly own: string | null;
  /** False: a study has no such step. */
  readonly inStudy: boolean;
  readonly examples: readonly VerbExample[];
  /** Plans the verb; mistakes are told now, data flow later. */
  apply(given: Table, values: Readonly<Record<string, unknown>>): Promise<Table>;
}

interface Described<O extends OptionDescriptions, T extends 'layer' | 'table'>
  extends Omit<Verb, 'options' | 'apply' | 'takes' | 'inStudy' | 'given' | 'done'> {
  readonly takes: T;
  readonly given?: string;
  readonly done?: string;
  readonly options: O;
  readonly inStudy?: boolean;
  apply(given: T extends 'layer' ? Layer : Table, values: ValuesOf<O>): Table | Promise<Table>;
}

/** Describes a verb; its `apply` gets the values of the options by their kinds. */
export function describeVerb<const O extends OptionDescriptions, T extends 'layer' | 'table'>(
  described: Described<O, T>,
): Verb {
  const { given = 'in', done = 'worked on', inStudy = true, takes } = described;
  return {
    ...described,
    given,
    done,
    inStudy,
    async apply(table, values) {
      if (takes === 'layer' && !isLayer(table)) throw withoutPlace(table, `so it cannot be ${done}`);
      for (const [name, option] of Object.entries(described.options))
        for (const other of layersIn(option, values[name]))
          if (!isLayer(other)) throw withoutPlace(other, 'so it lies nowhere');
      return described.apply(table as never, values as never);
    },
  };
}

/** What was given for an option that wants layers. */
function layersIn({ kind }: OptionDescription, value: unknown): readonly Table[] {
  if (value === undefined) return [];
  return kind === 'layer' ? [value as Table] : kind === 'layers' ? (value as readonly Table[]) : [];
}

function withoutPlace(table: Table, so: string): IsomericError {
  return new IsomericError('geometry-missing', `${table.name} has no geometry, ${so}.`, { blame: 'usage' });
}
