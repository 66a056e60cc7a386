import { type Node, node } from './node.ts';

export type ArithmeticOperator = '+' | '-' | '*' | '/' | '%' | 'div' | '^';

const operations: Readonly<Record<ArithmeticOperator, (a: number, b: number) => number>> = {
  '+': (a, b) => a + b,
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => a / b,
  '%': (a, b) => a % b,
  div: (a, b) => Math.trunc(a / b),
  '^': (a, b) => a ** b,
};

/** Computes with two numbers (CQL2, arithmetic expressions); blank where one is, and where the result is no number. */
export function arithmetic(op: ArithmeticOperator, left: Node, right: Node): Node {
  const operate = operations[op];
  return {
    ...node('number', (batch) => {
      const a = left.bind(batch);
      const b = right.bind(batch);
      return (i) => {
        const x = a(i);
        const y = b(i);
        if (x === null || y === null) return null;
        const value = operate(x as number, y as number);
        // Division by zero and other results that are no number are no value.
        return Number.isFinite(value) ? value : null;
      };
    }),
    whole: op === 'div' || (op !== '/' && op !== '^' && left.whole && right.whole),
  };
}
