import { ClassRules } from '../../core/class-scheme/rules.ts';
import type { ClassScheme, SchemeColumn } from '../../core/class-scheme/scheme.ts';
import { IsomericError } from '../../core/errors.ts';
import { readSettings } from '../settings/read-settings.ts';
import { type SchemeFile, schemeSchema } from './schema.ts';
import { thematicText } from './thematic.generated.ts';

/** Fields that every layer of map features has. */
const taken = new Set(['object', 'id', 'subclass', 'importance', 'version', 'time', 'tags']);

/** `refuge_halls` → `Refuge halls` */
function titleFrom(name: string): string {
  return name.replace(/_/g, ' ').replace(/^\p{Ll}/u, (c) => c.toUpperCase());
}

function columnsOf(columns: SchemeFile['classes'][string]['columns']): SchemeColumn[] {
  return Object.entries(columns).map(([name, column]) =>
    typeof column === 'string'
      ? { name, tag: name, kind: column }
      : { name, tag: column.tag ?? name, kind: column.as, title: column.title },
  );
}

/** Reads a class scheme; mistakes are told with line and column, those in rules with the character. */
export function loadScheme(text: string, file: string): ClassScheme {
  const { value, places } = readSettings(text, file, {
    what: 'scheme',
    schema: schemeSchema,
    begin: 'Begin one with “isomeric scheme --out FILE”.',
  });
  const scheme: ClassScheme = {
    title: value.scheme,
    classes: Object.entries(value.classes).map(([name, own]) => {
      const clash = Object.keys(own.columns).find((column) => taken.has(column));
      if (clash !== undefined)
        throw new IsomericError('scheme-value', `Every layer has a field “${clash}” already.`, {
          place: places.key(['classes', name, 'columns', clash]),
          advice: `Call it otherwise: own_${clash}: { tag: ${clash} }.`,
          blame: 'usage',
        });
      return {
        name,
        title: own.title ?? titleFrom(name),
        shapes: own.geometry,
        areasAsPoints: own['areas as points'],
        columns: columnsOf(own.columns),
        importance: own.importance,
        style: own.style,
        rules: own.rules.map((rule) => ({
          name: rule.name,
          title: rule.title ?? titleFrom(rule.name),
          where: rule.where,
          importance: rule.importance ?? own.importance,
          style: { ...own.style, ...rule.style },
        })),
      };
    }),
  };
  for (const each of scheme.classes) {
    each.rules.forEach((_, r) => {
      try {
        new ClassRules({ title: '', classes: [{ ...each, rules: [each.rules[r]] }] });
      } catch (error) {
        throw error instanceof IsomericError
          ? new IsomericError(error.code, error.message, {
              place: places.value(['classes', each.name, 'rules', r, 'where'], error.wrong),
              advice: error.advice,
              blame: 'usage',
            })
          : error;
      }
    });
  }
  return scheme;
}

let shipped: ClassScheme | null = null;

/** The scheme that comes with Isomeric, for thematic maps. */
export function thematicScheme(): ClassScheme {
  shipped ??= loadScheme(thematicText, 'thematic.yaml');
  return shipped;
}

export { thematicText };
