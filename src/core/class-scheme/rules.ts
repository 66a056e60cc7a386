import { IsomericError } from '../errors.ts';
import type { Batch } from '../layer/batch.ts';
import { compileExpression } from '../table/cql2/evaluate.ts';
import { fieldsIn, neededFields } from '../table/cql2/needs.ts';
import type { Reader } from '../table/cql2/node.ts';
import { parseExpression } from '../table/cql2/parse.ts';
import type { Field } from '../table/schema.ts';
import type { ClassScheme, SchemeClass } from './scheme.ts';

/** Names that mean something else than a tag in rules. */
const own = ['geometry', 'object'] as const;

interface CompiledRule {
  read: Reader;
  /** Numbers of keys one of which must be there; null: always asked. */
  needs: readonly number[] | null;
}

/**
 * A scheme made ready to be asked for many objects: put the values of its `keys` into `values` (null where the object has
 * no such tag), say geometry and kind, then ask class by class.
 */
export class ClassRules {
  readonly classes: readonly SchemeClass[];
  /** Keys of tags that the rules read. */
  readonly keys: readonly string[];
  /** Values of `keys` for the object at hand. */
  readonly values: (string | null)[];
  geometry = 'point';
  object = 'node';
  private readonly rules: CompiledRule[][];
  /** Keys that a class needs one of, over all its rules; null: it is always asked. */
  private readonly classNeeds: (readonly number[] | null)[];

  constructor(scheme: ClassScheme) {
    this.classes = scheme.classes;
    const parsed = scheme.classes.map((each) =>
      each.rules.map((rule) => {
        const expression = told(each, rule.name, () => parseExpression(rule.where));
        return {
          where: rule.where,
          name: rule.name,
          fields: fieldsIn(expression),
          needs: neededFields(expression),
        };
      }),
    );
    const names = new Set(parsed.flat().flatMap((rule) => [...rule.fields]));
    for (const name of own) names.delete(name);
    this.keys = [...names];
    this.values = this.keys.map(() => null);
    const number = new Map(this.keys.map((key, k) => [key, k]));
    const schema = [...own, ...this.keys].map((name): Field => ({ name, type: 'text' }));
    const row = this.row();
    this.rules = parsed.map((rules, c) =>
      rules.map(({ where, name, needs }) => {
        const test = told(scheme.classes[c], name, () => compileExpression(where, schema, 'the tags'));
        if (test.kind !== 'boolean')
          throw new IsomericError(
            'scheme-rule',
            `The rule ${scheme.classes[c].name} → ${name} is no condition: “${where}”.`,
            { blame: 'usage' },
          );
        const keys = needs === null ? null : [...needs].map((key) => number.get(key));
        const known = keys?.filter((key) => key !== undefined);
        // A rule that needs only “geometry” is asked of every object.
        return {
          read: test.bind(row),
          needs: known === undefined || known.length !== keys!.length ? null : known,
        };
      }),
    );
    this.classNeeds = this.rules.map((rules) =>
      rules.some((rule) => rule.needs === null) ? null : [...new Set(rules.flatMap((rule) => rule.needs!))],
    );
  }

  /** The object at hand as a batch of one row, which is all that expressions look at. */
  private row(): Batch {
    const column = (text: () => string | null) => ({ text, isNull: () => text() === null });
    const columns = [
      column(() => this.geometry),
      column(() => this.object),
      ...this.keys.map((_, k) => column(() => this.values[k])),
    ];
    return { length: 1, first: 0, columns, geometry: null, ids: null } as unknown as Batch;
  }

  private any(keys: readonly number[]): boolean {
    for (let k = 0; k < keys.length; k++) if (this.values[keys[k]] !== null) return true;
    return false;
  }

  /** Number of the first rule of class c that fits the object at hand; −1 when none does. */
  match(c: number): number {
    const classNeeds = this.classNeeds[c];
    if (classNeeds !== null && !this.any(classNeeds)) return -1;
    const rules = this.rules[c];
    for (let r = 0; r < rules.length; r++) {
      const { needs, read } = rules[r];
      if ((needs === null || this.any(needs)) && read(0) === true) return r;
    }
    return -1;
  }
}

/** An error in a rule says which. */
function told<T>(of: SchemeClass, rule: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof IsomericError)) throw error;
    throw new IsomericError(error.code, `${of.name} → ${rule}: ${error.message}`, {
      place: error.place,
      advice: error.advice,
      blame: 'usage',
    });
  }
}
