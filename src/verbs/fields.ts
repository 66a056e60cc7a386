import { IsomericError } from '../core/errors.ts';
import type { Computation } from '../core/layer/verbs/compute.ts';

/** New fields as a program or a study writes them: name → expression in CQL2. */
export type FieldTexts = Readonly<Record<string, string>>;

export function fieldsOf(texts: FieldTexts): Computation[] {
  return Object.entries(texts).map(([name, expression]) => ({ name, expression }));
}

/** `code`, or `ward = name`: a column, or one that gets a new name. Gives its name, or its name and the new one. */
export function columnFromText(text: string): string | readonly [string, string] {
  const [name, old] = text.split('=').map((part) => part.trim());
  return old === undefined ? name : [old, name];
}

/** `no_car_share = share(no_car, households)`, as a command line writes it; a name with other signs in double quotes. */
export function fieldFromText(text: string): Computation {
  const found = /^\s*(?:"([^"]+)"|([\p{L}_][\p{L}\p{N}_]*))\s*=\s*([\s\S]+)$/u.exec(text);
  if (found !== null) return { name: found[1] ?? found[2], expression: found[3] };
  throw new IsomericError('computation-syntax', `“${text}” does not say what is computed.`, {
    blame: 'usage',
    advice: 'Write NAME = EXPRESSION, for example "no_car_share = share(no_car, households)".',
  });
}
