import type { Expression } from './syntax.ts';

/** Names of all fields that an expression reads. */
export function fieldsIn(e: Expression, into = new Set<string>()): Set<string> {
  if (e.op === 'property') into.add(e.name);
  for (const part of partsOf(e)) fieldsIn(part, into);
  return into;
}

function partsOf(e: Expression): readonly Expression[] {
  if ('args' in e) return e.args;
  if ('left' in e) return [e.left, e.right];
  if (e.op === 'between') return [e.arg, e.low, e.high];
  if (e.op === 'in') return [e.arg, ...e.list];
  return 'arg' in e ? [e.arg] : [];
}

/**
 * Fields one of which must have a value for the expression to be true: what is blank makes comparisons unknown. Null
 * when it may be true whatever is blank.
 */
export function neededFields(e: Expression): Set<string> | null {
  switch (e.op) {
    case 'and': {
      const sets = e.args.map(neededFields).filter((set) => set !== null);
      return sets.length === 0 ? null : sets.reduce((a, b) => (b.size < a.size ? b : a));
    }
    case 'or': {
      const union = new Set<string>();
      for (const arg of e.args) {
        const set = neededFields(arg);
        if (set === null) return null;
        for (const name of set) union.add(name);
      }
      return union;
    }
    case 'not': {
      // NOT (x IS NULL): x is there. Any other negation of what reads one field: unknown when that is blank.
      if (e.arg.op === 'isNull') return e.arg.arg.op === 'property' ? new Set([e.arg.arg.name]) : null;
      const fields = fieldsIn(e.arg);
      return fields.size === 1 && !readsBlanks(e.arg) ? fields : null;
    }
    case 'isNull':
    case 'literal':
    case 'call':
      return null;
    case 'property':
      return new Set([e.name]);
    default: {
      if (readsBlanks(e)) return null;
      const fields = fieldsIn(e);
      return fields.size === 0 ? null : new Set([[...fields][0]]);
    }
  }
}

/** Is there a part that makes something of blanks? */
function readsBlanks(e: Expression): boolean {
  return e.op === 'isNull' || e.op === 'call' || partsOf(e).some(readsBlanks);
}
