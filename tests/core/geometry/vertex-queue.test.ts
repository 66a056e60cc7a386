import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { VertexQueue } from '../../../src/core/geometry/shape/vertex-queue.ts';

describe('a queue of vertices', () => {
  it('gives the least weight first, then the least number, whatever is put in, changed and taken between', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(999), fc.integer({ min: 0, max: 40 }), fc.nat(3)), { maxLength: 800 }),
        (steps) => {
          const queue = new VertexQueue(1000);
          const known = new Map<number, number>();
          const least = () =>
            [...known].reduce((a, b) => (b[1] < a[1] || (b[1] === a[1] && b[0] < a[0]) ? b : a));
          const take = () => {
            if (known.size === 0) {
              expect(queue.pop()).toBe(-1);
              return;
            }
            const [n, weight] = least();
            expect(queue.pop()).toBe(n);
            expect(queue.taken).toBe(weight);
            expect(queue.has(n)).toBe(false);
            known.delete(n);
          };
          for (const [n, weight, what] of steps) {
            if (what === 0) take();
            else {
              queue.put(n, weight);
              known.set(n, weight);
              expect(queue.has(n)).toBe(true);
            }
          }
          while (known.size > 0) take();
          take();
        },
      ),
      { numRuns: 60 },
    );
  });
});
